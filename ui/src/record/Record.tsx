import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Button, Form } from 'react-bootstrap';
import { client, take } from '../api/client';
import { KeyOf } from '../commands/KeyOf';
import { pieceKey } from '../commands/catalogue';
import { useCommands } from '../commands/useCommands';
import type { Keys } from '../commands/useKeys';
import { orderedParts, type BenchProps } from '../shell/bench';
import { Key } from '../shell/Key';
import { PieceMark } from '../shell/PieceMark';
import { clock, knownTempo } from '../stage/axes';
import { Lane } from '../stage/Lane';
import { useWindow } from '../state/window';
import { DeviceField } from './DeviceField';
import { LevelField } from './LevelField';
import { NeedsTempo } from './NeedsTempo';
import { Onwards } from './Onwards';
import { usePass, type PassSettings } from './usePass';
import './record.scss';

const KEPT = 'nubrak-round-trip-s';

/** Record a pass: one drum after the other, to a click, beside what was played before. */
export function Record(props: BenchProps & { head: ReactNode; form: ReactNode }) {
  const { doing, document, pieces, library, head, form } = props;
  const click = useWindow((state) => state.click);
  const set = useWindow((state) => state.set);
  const [settings, setSettings] = useState<PassSettings>(() => ({
    deviceId: null,
    piece: 'clap',
    countIn: true,
    click: true,
    roundTripS: Number(localStorage.getItem(KEPT) ?? 0) || 0,
    beside: null,
  }));
  const change = (changes: Partial<PassSettings>) => setSettings((now) => ({ ...now, ...changes }));
  const work = usePass(doing.id, document, settings);
  const { stage, open } = work;
  const playheadS = useWindow((state) => state.playheadS);
  const loop = useWindow((state) => (state.looping ? state.loop : null));
  const going = stage === 'counting' || stage === 'recording';
  const [asking, setAsking] = useState(false);
  // Pressed while the microphone opens or a take is being kept: done as soon as it can be.
  const [next, setNext] = useState(false);
  const waiting = stage === 'opening' || stage === 'finishing';
  const start = () => {
    // A click without a tempo would be silent: it is asked for, once.
    if (!knownTempo(document) && (settings.countIn || settings.click) && !asking) return setAsking(true);
    setAsking(false);
    void work.begin();
  };
  const toggle = () => {
    if (waiting) {
      setNext(!next);
      work.afterwards(
        next
          ? null
          : (ready) => {
              setNext(false);
              if (ready) start();
            },
      );
    } else if (going) work.stop();
    else if (stage === 'ready') start();
    else void open(settings.deviceId);
  };
  const letters: Keys = Object.fromEntries(
    library.pieces
      .filter((piece) => piece.noted)
      .map((piece) => [pieceKey(piece.key), () => change({ piece: piece.id, beside: null })]),
  );
  useCommands({ record: toggle }, letters);
  const setRoundTrip = (roundTripS: number) => {
    localStorage.setItem(KEPT, String(roundTripS));
    change({ roundTripS });
  };
  const [measuring, setMeasuring] = useState(false);
  const measure = async () => {
    setMeasuring(true);
    const found = await work.measure();
    setMeasuring(false);
    if (found !== null) setRoundTrip(found);
  };
  const piece = pieces.get(settings.piece);
  const from = loop ? `over the loop from ${clock(loop.startS)}` : `from ${clock(playheadS)}`;
  const named = piece?.name.toLowerCase() ?? '';
  const says = {
    closed: 'Open the microphone',
    ready: `Record ${settings.beside ? 'another pass of ' : ''}${named} ${from}`,
    counting: 'Stop',
    recording: 'Stop and keep it',
    opening: next ? 'Opening, then recording …' : 'Opening the microphone …',
    finishing: next ? 'being kept, then recording …' : 'being kept …',
  }[stage];
  const rows = orderedParts(document).flatMap(([id, part]) =>
    part.sources
      .filter((of) => document.sources?.[of]?.room || (document.sources?.[of]?.passes ?? []).length)
      .map((of) => ({ id, part, of })),
  );
  const carriesMany = (id: string) => pieces.get(id)?.family === 'whole';
  const chooseBars = (sourceId: string, chosen: number[]) =>
    void doing.revised((revision) =>
      client.POST('/api/sessions/{session_id}/sources/{source_id}/bars', {
        params: { path: { session_id: doing.id, source_id: sourceId } },
        body: { revision, chosen },
      }),
    );
  return (
    <>
      <section className="large gather recording" aria-label="Record">
        <div className="gather-head">{head}</div>
        <div className={`record-head ${going ? 'going' : ''}`}>
          <Button className="record-act" disabled={!piece} onClick={toggle} aria-pressed={going}>
            <KeyOf of="record" /> {says}
          </Button>
          <span className="quiet" role="status">
            {stage === 'closed'
              ? 'Its level is seen before anything is recorded.'
              : stage === 'counting'
                ? 'counting in …'
                : stage === 'recording'
                  ? `recording: ${work.keptS.toFixed(1)} s kept as they come`
                  : knownTempo(document)
                    ? `${document.tempo!.bpm!.toFixed(0)} bpm, ${document.tempo!.beats_per_bar} in a bar`
                    : 'no tempo yet: type or tap one beside'}
          </span>
        </div>
        {asking && (
          <NeedsTempo
            onTempo={(bpm) => {
              setAsking(false);
              const changes = { bpm, bar_one_s: loop ? loop.startS : playheadS };
              void doing.act({ kind: 'set_tempo', changes }).then((done) => {
                const state = doing.state();
                if (done && state) void work.begin({ ...settings, document: state.document });
              });
            }}
            onWithout={() => {
              setAsking(false);
              change({ countIn: false, click: false });
              void work.begin({ document, countIn: false, click: false });
            }}
            onCancel={() => setAsking(false)}
          />
        )}
        <LevelField stage={stage} ink={piece?.ink ?? 'loop'} peak={work.peak} seconds={work.seconds} />
        {rows.length === 0 && (
          <p className="about">
            One drum a pass: say what you will play, record it, say the next. What was played becomes hits and
            notes as soon as the pass ends, and sounds along with the next one.
          </p>
        )}
        {rows.map(({ id, part, of }) => {
          const source = document.sources?.[of];
          const own = pieces.get(part.piece);
          const about = props.overview?.parts.find((line) => line.part_id === id);
          if (!source || !own) return null;
          const passes = source.passes ?? [];
          const count = Math.max(passes.length, 1);
          return (
            <div className="pass" key={of}>
              <div className="source-head">
                <PieceMark piece={own} size={20} />
                <strong>{about?.name ?? own.name}</strong>
                <span className="quiet">
                  {source.name}
                  {passes.length > 1 ? `, ${passes.length} passes` : ''}
                </span>
                <span className="source-state">
                  {about && about.progress < 1 ? (
                    'listening …'
                  ) : (
                    <>
                      <b>{about?.time_s.length ?? '–'}</b> hits
                    </>
                  )}
                </span>
              </div>
              <Lane source={source} lengthS={props.lengthS} ink={own.ink} edgesS={[]} />
              <div className="pass-acts">
                <button
                  type="button"
                  className="plain-act light"
                  aria-pressed={settings.beside === of}
                  onClick={() => change({ piece: part.piece, beside: settings.beside === of ? null : of })}
                >
                  {settings.beside === of ? 'The next pass is of this one' : 'Another pass of this'}
                </button>
                {count > 1 && (
                  <Bars
                    sessionId={doing.id}
                    sourceId={of}
                    revision={props.revision}
                    chosen={source.chosen ?? []}
                    passes={count}
                    name={about?.name ?? own.name}
                    onChoose={(chosen) => chooseBars(of, chosen)}
                  />
                )}
              </div>
            </div>
          );
        })}
        {rows.length > 0 && <Onwards props={props} many={rows.some(({ part }) => carriesMany(part.piece))} />}
      </section>
      <aside className="settings" aria-label="Settings">
        <div className="column-head">
          <span>The next pass is</span>
          <span className="push">
            <Key>Shift</Key> and its letter
          </span>
        </div>
        <div className="piece-list" role="radiogroup" aria-label="The next pass">
          {library.pieces
            .filter((one) => one.noted)
            .map((one) => (
              <button
                type="button"
                key={one.id}
                role="radio"
                aria-checked={one.id === settings.piece}
                className={one.id === settings.piece ? 'chosen' : ''}
                onClick={() => change({ piece: one.id, beside: null })}
              >
                <PieceMark piece={one} /> {one.name} <Key>{one.key.toUpperCase()}</Key>
              </button>
            ))}
        </div>
        <div className="record-settings">
          <DeviceField
            id="microphone"
            devices={work.devices}
            deviceId={settings.deviceId}
            disabled={going}
            onChange={(deviceId) => {
              change({ deviceId });
              void open(deviceId);
            }}
          />
          <Form.Check
            id="count-in"
            type="switch"
            label="A bar of count-in"
            checked={settings.countIn}
            onChange={(event) => change({ countIn: event.target.checked })}
          />
          <Form.Check
            id="click-in-ear"
            type="switch"
            label="The click goes on, in the ear only"
            checked={settings.click}
            onChange={(event) => {
              change({ click: event.target.checked });
              if (click !== event.target.checked) set({ click: event.target.checked });
            }}
          />
          <RoundTrip
            seconds={settings.roundTripS}
            measuring={measuring}
            ready={stage === 'ready'}
            onMeasure={() => void measure()}
            onSet={setRoundTrip}
          />
        </div>
        {form}
      </aside>
    </>
  );
}

/** How much later than it is played a stroke arrives in the recording. */
function RoundTrip({
  seconds,
  measuring,
  ready,
  onMeasure,
  onSet,
}: {
  seconds: number;
  measuring: boolean;
  ready: boolean;
  onMeasure: () => void;
  onSet: (seconds: number) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const done = () => {
    const ms = Number((typed ?? '').replace(',', '.'));
    if (typed?.trim() && ms >= 0 && ms <= 1000) onSet(ms / 1000);
    setTyped(null);
  };
  return (
    <div className="round-trip">
      <Form.Label htmlFor="round-trip">Round trip</Form.Label>
      <Form.Control
        id="round-trip"
        size="sm"
        inputMode="decimal"
        value={typed ?? (1000 * seconds).toFixed(2)}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={done}
        onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
      />
      <span>ms</span>
      <button type="button" className="plain-act light" disabled={!ready || measuring} onClick={onMeasure}>
        {measuring ? 'listening to the click …' : 'Measure it'}
      </button>
      <p className="about">
        From the loudspeaker’s click to the recording. Hold the microphone to the loudspeaker and measure, or
        type it in; every pass is put so much earlier.
      </p>
    </div>
  );
}

/** Which pass each bar is taken from: a row for each pass, a place for each bar. */
function Bars({
  sessionId,
  sourceId,
  revision,
  chosen,
  passes,
  name,
  onChoose,
}: {
  sessionId: string;
  sourceId: string;
  revision: number;
  chosen: number[];
  passes: number;
  name: string;
  onChoose: (chosen: number[]) => void;
}) {
  const path = { session_id: sessionId, source_id: sourceId };
  const asked = useQuery({
    queryKey: ['bars of passes', sessionId, sourceId, revision],
    queryFn: () =>
      take(client.GET('/api/sessions/{session_id}/sources/{source_id}/bars', { params: { path } })),
    placeholderData: keepPreviousData,
  });
  const bars = asked.data ?? [];
  const now = bars.map((_, at) => chosen[Math.min(at, chosen.length - 1)] ?? passes - 1);
  return (
    <table className="bars-of-passes" aria-label={`Bars of ${name}`}>
      <tbody>
        {Array.from({ length: passes }, (_, pass) => (
          <tr key={pass}>
            <th scope="row">Pass {pass + 1}</th>
            {bars.map(({ number }, k) => (
              <td key={number}>
                <button
                  type="button"
                  aria-pressed={now[k] === pass}
                  aria-label={`${number > 0 ? `Bar ${number}` : 'Before bar 1'} from pass ${pass + 1}`}
                  onClick={() => onChoose(now.map((one, at) => (at === k ? pass : one)))}
                >
                  {number > 0 ? number : '–'}
                </button>
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
