import { useMemo, useRef, useState } from 'react';
import { Button, Form } from 'react-bootstrap';
import { upload, type Instrument, type Layer } from '../api/client';
import { newId, useDecisions } from '../api/session';
import { Setting } from '../find/Setting';
import { useDrop } from '../gather/useDrop';
import { sessionLength, type BenchProps } from '../shell/bench';
import { Key } from '../shell/Key';
import { PieceMark } from '../shell/PieceMark';
import { useKeys } from '../shell/useKeys';
import { useWindow } from '../state/window';
import { Stage } from '../timeline/Stage';

/** Layer: what shall sound? The notes large, the part's layers under them, the sounds to choose from beside. */
export function LayerBench({ doing, document, revision, overview, library, pieces, partId, part, piece }: BenchProps) {
  const about = overview?.parts.find((one) => one.part_id === partId);
  const ready = (about?.progress ?? 0) >= 1;
  const decided = useDecisions(doing.id, partId, revision, ready);
  const chooser = useRef<HTMLInputElement | null>(null);
  const notify = useWindow((state) => state.notify);
  const sounds = useMemo(() => {
    const all = Object.entries(library.kits).flatMap(([kit, { name, instruments }]) =>
      Object.entries(instruments).map(([id, one]) => ({ id: `${kit}/${id}`, kit: name, one })),
    );
    return all.sort((a, b) => Number(b.one.piece === part?.piece) - Number(a.one.piece === part?.piece));
  }, [library, part?.piece]);
  const [at, setAt] = useState(0);
  const layers = Object.entries(part?.layers ?? {});

  const choose = (instrument: Instrument) => {
    if (!partId) return;
    const [first] = layers;
    // One sound at a time is tried in place; more are added below on purpose.
    if (layers.length === 1 && first)
      void doing.act({ kind: 'set_layer', part_id: partId, layer_id: first[0], changes: {}, instrument });
    else void doing.act({ kind: 'add_layer', part_id: partId, layer_id: newId(), instrument });
  };
  const takeFiles = async (files: File[]) => {
    for (const file of files) {
      try {
        const instrument = await upload<Instrument>('/api/samples', file, () => undefined);
        if (partId) await doing.act({ kind: 'add_layer', part_id: partId, layer_id: newId(), instrument });
      } catch (error) {
        notify(error instanceof Error ? error.message : String(error));
      }
    }
  };
  const over = useDrop((files) => void takeFiles(files));
  const step = (by: number) => {
    const next = Math.min(Math.max(at + by, 0), sounds.length - 1);
    setAt(next);
    if (sounds[next]) choose(sounds[next].one);
  };
  useKeys({ ArrowDown: () => step(1), ArrowUp: () => step(-1), Enter: () => sounds[at] && choose(sounds[at].one) });

  if (!part || !piece || !partId) {
    return (
      <div className="empty">
        <h2>Nothing to sound yet</h2>
        <p>Gather a recording first; its hits can then drive any sound.</p>
      </div>
    );
  }
  return (
    <>
      <section className="large">
        <Stage
          document={document}
          part={part}
          piece={piece}
          lengthS={sessionLength(document)}
          decisions={decided.data ?? null}
          mode="notes"
        />
        <div className="under-stage layers">
          <Blend doing={doing} partId={partId} part={part} />
          {layers.map(([id, layer]) => (
            <OneLayer key={id} doing={doing} partId={partId} id={id} layer={layer} />
          ))}
          {!layers.length && (
            <p className="no-layer">
              <strong>No sound on {about?.name.toLowerCase()} yet.</strong> Choose one on the right, or drop a sample on
              the page.
            </p>
          )}
        </div>
      </section>
      <aside className="settings sounds">
        <div className="column-head">
          <span>Sounds</span>
          <span>
            <Key>↑</Key>
            <Key>↓</Key> try
          </span>
        </div>
        <div className="sound-list" role="listbox" aria-label="Sounds">
          {sounds.map(({ id, kit, one }, index) => {
            const used = layers.some(([, layer]) => layer.instrument.name === one.name);
            const mark = pieces.get(one.piece);
            return (
              <button
                type="button"
                role="option"
                aria-selected={used}
                key={id}
                className={used ? 'chosen' : ''}
                title={`${kit}: ${one.samples.length} samples`}
                onClick={() => {
                  setAt(index);
                  choose(one);
                }}
              >
                {mark && <PieceMark piece={mark} />} <span>{one.name}</span> <small>{one.samples.length}</small>
              </button>
            );
          })}
        </div>
        <div className={`drop-place small ${over ? 'over' : ''}`}>
          <p>
            {over ? <strong>Let go to let it sound.</strong> : <strong>Your own sample:</strong>}{' '}
            <Button variant="link" onClick={() => chooser.current?.click()}>
              choose a file
            </Button>
          </p>
          <input
            ref={chooser}
            type="file"
            hidden
            accept="audio/*,.wav,.aif,.aiff,.flac,.ogg,.mp3"
            data-testid="sample-file"
            onChange={(event) => {
              void takeFiles([...(event.target.files ?? [])]);
              event.target.value = '';
            }}
          />
        </div>
      </aside>
    </>
  );
}

function Blend({
  doing,
  partId,
  part,
}: Pick<BenchProps, 'doing'> & { partId: string; part: NonNullable<BenchProps['part']> }) {
  const blend = part.blend;
  const change = (changes: Record<string, number | boolean>) =>
    void doing.act({ kind: 'set_blend', part_id: partId, changes });
  return (
    <div className="layer-row">
      <Form.Check
        type="switch"
        id="recording-on"
        label="Recording"
        checked={blend?.recording_on ?? true}
        onChange={(event) => change({ recording_on: event.target.checked })}
      />
      <Setting
        name="Recording level"
        unit="dB"
        value={blend?.recording_db ?? 0}
        least={-60}
        most={12}
        step={0.5}
        about="0 dB is as recorded"
        onMove={() => undefined}
        onDone={(value) => change({ recording_db: value })}
      />
      <Setting
        name="All layers"
        unit="dB"
        value={blend?.layers_db ?? 0}
        least={-60}
        most={12}
        step={0.5}
        about="together, against the recording"
        onMove={() => undefined}
        onDone={(value) => change({ layers_db: value })}
      />
    </div>
  );
}

function OneLayer({
  doing,
  partId,
  id,
  layer,
}: {
  doing: BenchProps['doing'];
  partId: string;
  id: string;
  layer: Layer;
}) {
  const change = (changes: Record<string, number | boolean>) =>
    void doing.act({ kind: 'set_layer', part_id: partId, layer_id: id, changes });
  const { samples, name } = layer.instrument;
  const ranges = new Set(samples.map((sample) => `${sample.low_velocity}-${sample.high_velocity}`)).size;
  return (
    <div className="layer-row">
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
        </button>
      </div>
      <Setting
        name={`${name} level`}
        unit="dB"
        value={layer.level_db ?? -6}
        least={-60}
        most={24}
        step={0.5}
        about="starts 6 dB under the recording"
        onMove={() => undefined}
        onDone={(value) => change({ level_db: value })}
      />
      <Setting
        name={`${name} follows velocity`}
        unit="%"
        value={(layer.velocity_amount ?? 1) * 100}
        least={0}
        most={200}
        step={5}
        digits={0}
        about="100 % keeps the played dynamics"
        onMove={() => undefined}
        onDone={(value) => change({ velocity_amount: value / 100 })}
      />
    </div>
  );
}
