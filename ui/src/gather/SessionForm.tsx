import { counted } from '../shell/counted';
import { useRef, useState } from 'react';
import { Form } from 'react-bootstrap';
import { client, take, type Document, type Schema } from '../api/client';
import type { Doing } from '../api/session';
import { RateField } from './RateField';
import { FileInput } from '../shell/FileInput';
import { useWindow } from '../state/window';
import { clock, knownTempo } from '../stage/axes';

const UNITS = [2, 4, 8, 16];
const TAPS_LAST_MS = 3000;

interface Props {
  doing: Doing;
  document: Document;
  offer: Schema['TempoTold'] | null;
}

/**
 * The session: its name, and its tempo typed, tapped, detected, followed, or from a MIDI file; one tempo
 * throughout, or one that follows the drummer. No hit ever moves by it.
 */
export function SessionForm({ doing, document, offer }: Props) {
  const tempo: Partial<Schema['Tempo']> = document.tempo ?? {};
  const known = knownTempo(document) !== null;
  const changes = tempo.changes?.length ?? 0;
  const [name, setName] = useState(document.name);
  const [heard, setHeard] = useState<Schema['TempoTold'] | null>(null);
  const file = useRef<HTMLInputElement | null>(null);
  const taps = useRef<number[]>([]);
  const [tapped, setTapped] = useState<number | null>(null);
  const set = (change: Schema['SetTempo']['changes']) => doing.act({ kind: 'set_tempo', changes: change });
  const tell = (error: unknown) =>
    useWindow.getState().notify(error instanceof Error ? error.message : String(error));
  const tap = async () => {
    const nowMs = performance.now();
    if (nowMs - (taps.current[taps.current.length - 1] ?? nowMs) > TAPS_LAST_MS) taps.current = [];
    taps.current.push(nowMs);
    try {
      const time_s = taps.current.map((ms) => ms / 1000);
      const { bpm } = await take(client.POST('/api/tempo/tapped', { body: { time_s } }));
      setTapped(bpm ?? null);
    } catch (error) {
      tell(error);
    }
  };
  const listen = async () => {
    try {
      const params = { path: { session_id: doing.id } };
      const found = await take(
        client.POST('/api/sessions/{session_id}/tempo/guesses', { params, body: { part_ids: [] } }),
      );
      setHeard(found.told);
      if (!found.told)
        useWindow
          .getState()
          .notify(`${counted(found.hits, 'hit')}: too few to detect a tempo. Type or tap it.`, true);
    } catch (error) {
      tell(error);
    }
  };
  const suggested = heard ?? (tempo.known === 'no' ? offer : null);
  const count = (twice: boolean) => doing.act({ kind: 'count_tempo', twice });
  const follow = () =>
    void doing.revised((revision) =>
      client.POST('/api/sessions/{session_id}/tempo/follow', {
        params: { path: { session_id: doing.id } },
        body: { revision, part_ids: [] },
      }),
    );
  return (
    <div className="session-form">
      <div className="column-head">
        <span>The session</span>
      </div>
      <div className="tempo-kind" role="radiogroup" aria-label="Tempo">
        <Form.Check
          type="radio"
          id="tempo-fixed"
          name="tempo-kind"
          label="Fixed tempo"
          checked={!changes}
          onChange={() => void set({ changes: [] })}
        />
        <Form.Check
          type="radio"
          id="tempo-followed"
          name="tempo-kind"
          label={changes ? `Follows the drummer: ${counted(changes, 'tempo change')}` : 'Follow the drummer'}
          checked={changes > 0}
          onChange={follow}
        />
      </div>
      <div className="three">
        <Typed
          id="tempo"
          label={changes ? 'At bar 1, bpm' : 'Tempo, bpm'}
          value={known ? tempo.bpm! : null}
          onDone={(bpm) => void set({ bpm })}
        />
        <Typed
          id="bar-one"
          label="Bar 1 at, s"
          value={known ? tempo.bar_one_s! : null}
          onDone={(bar_one_s) => void set({ bar_one_s })}
        />
        <div>
          <Form.Label htmlFor="beats">Bar of</Form.Label>
          <div className="signature">
            <Typed
              id="beats"
              value={tempo.beats_per_bar ?? 4}
              onDone={(beats_per_bar) => void set({ beats_per_bar })}
            />
            <Form.Select
              size="sm"
              aria-label="Beat unit"
              value={tempo.beat_unit ?? 4}
              onChange={(event) => void set({ beat_unit: Number(event.target.value) })}
            >
              {UNITS.map((unit) => (
                <option key={unit} value={unit}>
                  /{unit}
                </option>
              ))}
            </Form.Select>
          </div>
        </div>
      </div>
      <p className="tempo-acts">
        <button type="button" className="plain-act light" onClick={() => void tap()}>
          Tap tempo
        </button>
        <button type="button" className="plain-act light" onClick={() => void listen()}>
          Detect tempo
        </button>
        <button type="button" className="plain-act light" onClick={() => file.current?.click()}>
          From a MIDI file
        </button>
      </p>
      <p className="about" role="status" data-testid="tempo-known">
        {known ? (
          <>
            {tempo.known === 'told' && `Detected${tempo.sure ? `, ${percent(tempo.sure)} sure` : ''}. `}
            <span className="tempo-acts">
              <button type="button" className="plain-act light" onClick={() => void count(false)}>
                Half time
              </button>
              <button type="button" className="plain-act light" onClick={() => void count(true)}>
                Double time
              </button>
              {tempo.known === 'told' && (
                <button type="button" className="plain-act light" onClick={() => void set({ known: 'none' })}>
                  No tempo
                </button>
              )}
            </span>
          </>
        ) : tempo.known === 'none' ? (
          'No tempo: nothing snaps to a grid.'
        ) : (
          !suggested && 'No tempo yet: nothing snaps to a grid.'
        )}
      </p>
      {suggested && (
        <div data-testid="guesses">
          <p className="about">Detected:</p>
          <ul className="guesses">
            {[suggested, ...suggested.others].map((one, index) => (
              <li key={`${one.bpm} ${one.beats_per_bar}`}>
                <button
                  type="button"
                  className="plain-act light"
                  onClick={() => {
                    setHeard(null);
                    void set(taken(one, index === 0 ? suggested.changes : []));
                  }}
                >
                  {one.bpm.toFixed(1)} bpm in {one.beats_per_bar}/{one.beat_unit}
                </button>
                <span className="about">
                  {percent(one.confidence)} sure, bar 1 at {clock(one.bar_one_s, 3)}
                  {index === 0 && suggested.changes.length > 0 && ', following the drummer'}
                </span>
              </li>
            ))}
          </ul>
        </div>
      )}
      {tapped !== null && (
        <p className="about" role="status">
          Tapped {tapped.toFixed(1)} bpm.{' '}
          <button
            type="button"
            className="plain-act light"
            onClick={() => void set({ bpm: round(tapped), changes: [] })}
          >
            Use it
          </button>
        </p>
      )}
      <Form.Label htmlFor="session-name">Name</Form.Label>
      <Form.Control
        id="session-name"
        value={name}
        maxLength={120}
        onChange={(event) => setName(event.target.value)}
        onKeyDown={(event) => event.key === 'Enter' && (event.currentTarget as HTMLInputElement).blur()}
        onBlur={() =>
          name.trim() && name !== document.name && void doing.act({ kind: 'rename', name: name.trim() })
        }
      />
      <RateField doing={doing} document={document} />
      <FileInput
        innerRef={file}
        testId="tempo-midi"
        accept=".mid,.midi,audio/midi"
        onFile={(chosen) => void doing.bring('tempo/midi', chosen)}
      />
    </div>
  );
}

const percent = (share: number) => `${Math.round(share * 100)} %`;

/** A tempo that the hits suggest, as the session takes it. */
const taken = (
  { bpm, beats_per_bar, beat_unit, bar_one_s }: Schema['TempoGuess'],
  changes: Schema['TempoChange'][],
) => ({ bpm, beats_per_bar, beat_unit, bar_one_s, changes });

const round = (bpm: number) => Math.round(bpm * 100) / 100;

/** A number to type; it counts when the field is left or Enter is pressed. */
function Typed({
  id,
  label,
  value,
  onDone,
}: {
  id: string;
  label?: string;
  value: number | null;
  onDone: (value: number) => void;
}) {
  const [text, setText] = useState<string | null>(null);
  const shown = value === null ? '' : String(Math.round(value * 10000) / 10000);
  const leave = () => {
    const number = Number((text ?? '').replace(',', '.'));
    if (text?.trim() && Number.isFinite(number) && text !== shown) onDone(number);
    setText(null);
  };
  return (
    <div>
      {label && <Form.Label htmlFor={id}>{label}</Form.Label>}
      <Form.Control
        id={id}
        size="sm"
        inputMode="decimal"
        aria-label={label ? undefined : 'Beats in a bar'}
        value={text ?? shown}
        onChange={(event) => setText(event.target.value)}
        onBlur={leave}
        onKeyDown={(event) => event.key === 'Enter' && (event.currentTarget as HTMLInputElement).blur()}
      />
    </div>
  );
}
