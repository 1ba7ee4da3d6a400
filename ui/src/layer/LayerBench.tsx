import { Empty } from '../shell/Empty';
import { KeyOf } from '../commands/KeyOf';
import { limitOf, scaled } from '../api/limit';
import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { client, type Instrument, type Layer, type Schema } from '../api/client';
import { newId, useDecisions } from '../api/session';
import { Setting } from '../find/Setting';
import type { BenchProps } from '../shell/bench';
import { useCommands } from '../commands/useCommands';
import { Stage } from '../stage/Stage';
import { BalanceView } from './BalanceView';
import { BlendRow } from './BlendRow';
import { KitsView } from './KitsView';
import { OverlayView } from './OverlayView';
import type { Came } from './samples';
import { Sounds } from './Sounds';
import { useLock, useOverlay } from './useLock';
import { VoiceSettings } from './VoiceSettings';
import './layer.scss';

const VIEWS = ['notes', 'overlay', 'balance', 'kits'] as const;
type Large = (typeof VIEWS)[number];

/** The view after one, of those that show something. */
const nextView = (now: Large, layered: boolean): Large => {
  const shown = VIEWS.filter((one) => one !== 'overlay' || layered);
  return shown[(shown.indexOf(now) + 1) % shown.length]!;
};

/**
 * Layer: what shall sound? The notes large, the part's layers under them, the sounds to choose from beside.
 */
export function LayerBench(props: BenchProps) {
  const { doing, document, revision, overview, library, pieces, partId, part, piece } = props;
  const about = overview?.parts.find((one) => one.part_id === partId);
  const ready = (about?.progress ?? 0) >= 1;
  const decided = useDecisions(doing.id, partId, revision, ready);
  const layers = Object.entries(part?.layers ?? {});
  const [large, setLarge] = useState<Large>('notes');
  const turn = (to: Large) => setLarge((now) => (now === to ? 'notes' : to));
  const [came, setCame] = useState<Came | null>(null);
  const [chosenLayer, setChosenLayer] = useState<string | null>(null);
  const layerId = layers.some(([id]) => id === chosenLayer) ? chosenLayer : (layers[0]?.[0] ?? null);
  const layer = layerId ? part?.layers?.[layerId] : undefined;
  const locked = useLock(doing.id, ready && part?.sources.length ? partId : null, layerId, revision);
  const laid = useOverlay(doing.id, ready ? partId : null, layerId, revision, large === 'overlay');

  /** Let a sound sound with the part, locked and at level: in place of the chosen layer, or beside it. */
  const put = async (
    of: { kit_id?: string; instrument_id?: string; instrument?: Instrument },
    beside: boolean,
  ) => {
    if (!partId) return;
    const instead = Boolean(layerId) && !beside;
    const layer_id = instead ? layerId! : newId();
    const done = await doing.revised((revision) =>
      client.POST('/api/sessions/{session_id}/parts/{part_id}/layers', {
        params: { path: { session_id: doing.id, part_id: partId } },
        body: { revision, layer_id, instead, ...of },
      }),
    );
    if (done) setChosenLayer(layer_id);
  };
  const takeCame = (found: Came) => {
    // One file is wanted to sound; a folder or an SFZ is looked at first.
    const [only] = found.instruments;
    if (only && found.instruments.length === 1 && only.samples.length === 1 && !found.said.length)
      void put({ instrument: only }, true);
    else {
      setCame(found);
      setLarge('kits');
    }
  };
  const setLayer = (changes: SetLayer) =>
    partId && layerId && void doing.act({ kind: 'set_layer', part_id: partId, layer_id: layerId, changes });
  const takeLock = (each: boolean) =>
    partId &&
    layerId &&
    locked.data &&
    void doing.revised((revision) =>
      client.POST('/api/sessions/{session_id}/parts/{part_id}/layers/{layer_id}/lock', {
        params: { path: { session_id: doing.id, part_id: partId, layer_id: layerId } },
        body: { revision, each },
      }),
    );
  const nudge = (by: number) => layer && setLayer({ offset_samples: (layer.offset_samples ?? 0) + by });
  const viewAfter = nextView(large, layer !== undefined);
  useCommands({
    lock: () => takeLock(false),
    lockEach: () => takeLock(true),
    view: () => setLarge(viewAfter),
    turnRound: () => layer && setLayer({ polarity: layer.polarity === -1 ? 1 : -1 }),
    later: () => nudge(1),
    earlier: () => nudge(-1),
    laterFar: () => nudge(10),
    earlierFar: () => nudge(-10),
    nextLayer: () => {
      const index = layers.findIndex(([id]) => id === layerId);
      setChosenLayer(layers[(index + 1) % Math.max(layers.length, 1)]?.[0] ?? null);
    },
  });

  if (!part || !piece || !partId) {
    return (
      <Empty title="Nothing to sound yet" sessionId={doing.id}>
        Gather a recording first; its hits can then drive any sound.
      </Empty>
    );
  }
  return (
    <>
      <section className="large">
        {large === 'kits' ? (
          <KitsView
            sessionId={props.doing.id}
            library={library}
            pieces={pieces}
            came={came}
            onCame={setCame}
            onUse={(instrument) => void put({ instrument }, true)}
            partName={about?.name ?? piece.name}
            onClose={() => setLarge('notes')}
          />
        ) : large === 'balance' ? (
          <BalanceView {...props} onClose={() => setLarge('notes')} />
        ) : large === 'overlay' && layer && laid.data ? (
          <OverlayView
            piece={piece}
            found={laid.data}
            layerName={layer.instrument.name}
            rateHz={document.rate_hz ?? 44100}
            onOffset={nudge}
          />
        ) : (
          <Stage
            document={document}
            part={part}
            piece={piece}
            lengthS={props.lengthS}
            decisions={decided.data ?? null}
            mode="notes"
          />
        )}
        <div className={`under-stage layers ${large === 'kits' || large === 'balance' ? 'away' : ''}`}>
          {layer && (
            <div className="lock-line" data-testid="lock">
              <p className="chosen">
                {locked.data?.said ??
                  (locked.error ? locked.error.message : 'Laying it over the recording …')}
                {locked.data?.others.map((one) => (
                  <span key={one.name} className="quiet">
                    {' '}
                    {one.name}: {`${one.gain_db > 0 ? '+' : ''}${one.gain_db.toFixed(1)}`.replace('-', '−')}{' '}
                    dB.
                  </span>
                ))}
              </p>
              <div className="acts">
                <button
                  type="button"
                  className="look-act"
                  disabled={!locked.data}
                  onClick={() => takeLock(false)}
                  aria-pressed={locked.data?.in_place ?? false}
                >
                  <KeyOf of="lock" /> {locked.data?.in_place ? 'Locked' : 'Lock to recording'}
                </button>
                <button
                  type="button"
                  className="plain-act"
                  disabled={!locked.data}
                  onClick={() => takeLock(true)}
                >
                  <KeyOf of="lockEach" /> Lock each hit{layer.each?.length ? ', on' : ''}
                </button>
                <button
                  type="button"
                  className="plain-act"
                  aria-pressed={large === 'overlay'}
                  onClick={() => turn('overlay')}
                >
                  {viewAfter === 'overlay' && <KeyOf of="view" />}{' '}
                  {large === 'overlay' ? 'Notes' : 'All hits over each other'}
                </button>
                <button
                  type="button"
                  className="plain-act"
                  onClick={() => setLayer({ polarity: layer.polarity === -1 ? 1 : -1 })}
                >
                  <KeyOf of="turnRound" /> Flip polarity
                </button>
                <button
                  type="button"
                  className="plain-act"
                  onClick={() => nudge(-1)}
                  aria-label="One sample earlier"
                >
                  <KeyOf of="earlier" painted />
                </button>
                <button
                  type="button"
                  className="plain-act"
                  onClick={() => nudge(1)}
                  aria-label={`One sample later: ${samplesSaid(layer.offset_samples ?? 0)}`}
                >
                  <KeyOf of="later" painted /> {samplesSaid(layer.offset_samples ?? 0)}
                </button>
              </div>
            </div>
          )}
          <BlendRow doing={doing} partId={partId} part={part} />
          {layers.map(([id, layer]) => (
            <OneLayer
              key={id}
              doing={doing}
              partId={partId}
              id={id}
              layer={layer}
              chosen={id === layerId}
              onChoose={() => setChosenLayer(id)}
            />
          ))}
          {!layers.length && (
            <p className="no-layer">
              <strong>No sound on {about?.name.toLowerCase()} yet.</strong> Choose one on the right, or drop a
              sample on the page.
            </p>
          )}
        </div>
      </section>
      <Sounds
        doing={doing}
        library={library}
        pieces={pieces}
        part={part}
        revision={revision}
        partId={partId}
        layerId={layerId}
        onTake={(kit_id, instrument_id, beside) => void put({ kit_id, instrument_id }, beside)}
        onCame={takeCame}
        onKits={() => turn('kits')}
        onBalance={() => turn('balance')}
        shown={large}
        next={viewAfter}
      />
    </>
  );
}

type SetLayer = Schema['SetLayer']['changes'];

const samplesSaid = (samples: number): string =>
  samples ? `${Math.abs(samples)} samples ${samples > 0 ? 'later' : 'earlier'}` : 'on the hit';

function OneLayer({
  doing,
  partId,
  id,
  layer,
  chosen,
  onChoose,
}: {
  doing: BenchProps['doing'];
  partId: string;
  id: string;
  layer: Layer;
  chosen: boolean;
  onChoose: () => void;
}) {
  const [open, setOpen] = useState(false);
  const change = (changes: SetLayer) =>
    void doing.act({ kind: 'set_layer', part_id: partId, layer_id: id, changes });
  const { samples, name } = layer.instrument;
  const ranges = new Set(samples.map((sample) => `${sample.low_velocity}-${sample.high_velocity}`)).size;
  return (
    <div className={`layer-row ${chosen ? 'chosen' : ''}`} onPointerDown={onChoose}>
      <div>
        <Form.Check
          type="switch"
          id={`on-${id}`}
          label={name}
          checked={layer.on ?? true}
          onChange={(event) => change({ on: event.target.checked })}
        />
        <span className="about">
          {samples.length === 1
            ? 'one sample'
            : `${samples.length} samples, ${ranges} strength${ranges === 1 ? '' : 's'}`}
        </span>
        <button
          type="button"
          className="plain-act"
          onClick={() => void doing.act({ kind: 'remove_layer', part_id: partId, layer_id: id })}
        >
          Take it away
        </button>{' '}
        <button type="button" className="plain-act" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? 'Less' : 'Its sound'}
        </button>
      </div>
      <Setting
        name={`${name} level`}
        value={layer.level_db ?? -6}
        limit={limitOf('Layer', 'level_db')}
        about="starts 6 dB under the recording"
        onDone={(value) => change({ level_db: value })}
      />
      <Setting
        name={`${name} follows velocity`}
        value={(layer.velocity_amount ?? 1) * 100}
        limit={scaled(limitOf('Layer', 'velocity_amount'), 100, '%')}
        about="100 % keeps the played dynamics"
        onDone={(value) => change({ velocity_amount: value / 100 })}
      />
      {open && <VoiceSettings layer={layer} change={change} />}
    </div>
  );
}
