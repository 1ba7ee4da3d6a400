import { counted } from '../shell/counted';
import { Empty } from '../shell/Empty';
import { knownTempo, tempoSaid } from '../stage/axes';
import { useState } from 'react';
import { ButtonGroup, Form, ToggleButton } from 'react-bootstrap';
import type { Schema } from '../api/client';
import { familyHeads, orderedParts, type BenchProps } from '../shell/bench';
import { PieceMark } from '../shell/PieceMark';
import { useWindow } from '../state/window';
import { clock } from '../stage/axes';
import { useNoteName } from '../stage/noteName';
import { dragsFile } from './dragsFile';
import { Archive } from './Archive';
import { SlicesPrint } from './SlicesPrint';
import { Stems } from './Stems';
import './print.scss';

type PrintSettings = Schema['PrintSettings'];

const FORMS = [
  ['wav', 'WAV'],
  ['flac', 'FLAC'],
  ['aiff', 'AIFF'],
] as const;
const RATES = ['44100', '48000', '88200', '96000'];
const DEPTHS = [
  ['16', '16 bit'],
  ['24', '24 bit'],
  ['float', 'float'],
] as const;

/** Print: what do I take with me? MIDI and audio that line up with the recording when both start at zero. */
export function PrintBench({ doing, document, overview, pieces, partId, part, lengthS }: BenchProps) {
  const tempo = knownTempo(document);
  const [depth, setDepth] = useState<PrintSettings['depth']>('24');
  const noteName = useNoteName();
  const [form, setForm] = useState<PrintSettings['form']>('wav');
  const [channels, setChannels] = useState<PrintSettings['channels']>('stereo');
  const [rate, setRate] = useState('');
  const [perQuarter, setPerQuarter] = useState(960);
  const [lead, setLead] = useState(0);
  const loop = useWindow((state) => state.loop);
  const base = `/api/sessions/${doing.id}/print`;
  const midi = (more: Record<string, string | number> = {}) =>
    `${base}/midi?` +
    new URLSearchParams({ per_quarter: String(perQuarter), ...more } as Record<string, string>).toString();
  const parts = orderedParts(document);
  if (!parts.length || !part || !partId) {
    return (
      <Empty title="Nothing to take along yet" sessionId={doing.id}>
        Gather a recording first. Its hits leave as MIDI, its layers as audio.
      </Empty>
    );
  }
  const name = (id: string) => overview?.parts.find((one) => one.part_id === id)?.name ?? '';
  const audio = (bus: string, of?: string) => {
    const asked = new URLSearchParams({ bus, depth, form, channels });
    if (rate) asked.set('rate_hz', rate);
    if (of) asked.set('part', of);
    return `${base}/audio?${asked.toString()}`;
  };
  const sourceId = part.sources[0];
  const source = sourceId ? document.sources?.[sourceId] : undefined;
  const heads = familyHeads(document);
  const { tracks = 0, notes = 0, bar_one_offset_s: offsetS = 0 } = overview ?? {};
  const layered = parts.filter(([, one]) => Object.keys(one.layers ?? {}).length);
  return (
    <>
      <section className="large printing">
        <h2>Take the whole session</h2>
        <div className="print-row whole">
          <a
            className="print-act"
            href={midi()}
            download
            draggable
            onDragStart={dragsFile(`${document.name}.mid`)}
          >
            <strong>MIDI</strong>
            <span>
              {counted(notes, 'note')} on {counted(tracks, 'track')}
              {tempo ? `, at ${tempoSaid(tempo)}` : ', no tempo known: counted at 120 bpm'}
            </span>
          </a>
          <a className="print-act" href={audio('layers')} download>
            <strong>Layers</strong>
            <span>
              {layered.length
                ? `the sounds of ${layered.map(([id]) => name(id).toLowerCase()).join(', ')}`
                : 'no part has a layer yet: silence'}
            </span>
          </a>
          <a className="print-act" href={audio('both')} download>
            <strong>Recording and layers</strong>
            <span>blended as you hear them</span>
          </a>
        </div>
        <p className="about print-more">
          {offsetS > 0 && (
            <>
              <a href={midi({ from_bar_one: 'true' })} download>
                MIDI from bar one
              </a>
              , to be put {offsetS.toFixed(3)} s into the recording{' · '}
            </>
          )}
          <a href={midi({ layout: 'each' })} download>
            MIDI, a file for each part
          </a>
          {' · '}
          <a href={midi({ layout: 'one' })} download>
            MIDI, all on one track
          </a>
          {' · '}
          <a href={midi({ channels: 'each' })} download>
            MIDI, a channel for each part
          </a>
          {' · '}
          <a href={midi({ keys: 'true', lead_ms: String(lead) })} download>
            notes that key a gate
          </a>
          {', '}
          <label className="lead">
            <input
              type="number"
              min={0}
              max={200}
              value={lead}
              aria-label="How many milliseconds before their attack they begin"
              onChange={(event) => setLead(Math.min(Math.max(Number(event.target.value) || 0, 0), 200))}
            />{' '}
            ms early
          </label>
          {loop && (
            <>
              {' · '}
              <a href={midi({ start_s: loop.startS, end_s: loop.endS })} download>
                MIDI of the loop alone
              </a>
            </>
          )}
          {' · hits as '}
          <a href={`${base}/hits?form=csv`} download aria-label="Hits as a CSV table">
            CSV
          </a>
          {', '}
          <a href={`${base}/hits?form=json`} download aria-label="Hits as JSON">
            JSON
          </a>
          {' or '}
          <a href={`${base}/hits?form=jams`} download aria-label="Hits as a JAMS annotation">
            JAMS
          </a>
        </p>
        <p className="about print-more">
          <Archive sessionId={doing.id} />
          {': recordings, samples, marks and settings, for another machine or another year. ' +
            'Open it from the list of sessions.'}
        </p>
        <h2>Or part by part</h2>
        <table className="print-table">
          <tbody>
            {parts.map(([id, one]) => {
              const piece = pieces.get(one.piece);
              const line = overview?.parts.find((other) => other.part_id === id);
              return (
                <tr key={id} className={id === partId ? 'chosen' : ''}>
                  <td>
                    {piece && <PieceMark piece={piece} />} {name(id)}
                  </td>
                  <td className="number">{heads.has(id) ? '' : counted(line?.time_s.length ?? 0, 'hit')}</td>
                  <td className="number" title="note number and its name">
                    {line?.noted && !heads.has(id) && noteName(line.note)}
                  </td>
                  <td>
                    <a
                      href={midi({ part: id })}
                      download
                      draggable
                      onDragStart={dragsFile(`${document.name} - ${name(id)}.mid`)}
                      aria-label={`MIDI of ${name(id)}`}
                    >
                      MIDI
                    </a>
                  </td>
                  <td>
                    {Object.keys(one.layers ?? {}).length ? (
                      <a href={audio('layers', id)} download aria-label={`Layers of ${name(id)}`}>
                        Layers
                      </a>
                    ) : (
                      <span className="quiet">no layer</span>
                    )}
                  </td>
                  <td>
                    <a href={audio('recording', id)} download aria-label={`Recording of ${name(id)}`}>
                      Recording
                    </a>
                  </td>
                  <td>
                    <a
                      href={audio('both', id)}
                      download
                      aria-label={`Both: recording and layers of ${name(id)}`}
                    >
                      Both
                    </a>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        {sourceId && source && (
          <SlicesPrint
            key={sourceId}
            doing={doing}
            revision={overview?.revision ?? 0}
            sourceId={sourceId}
            source={source}
          />
        )}
      </section>
      <aside className="settings" aria-label="Settings">
        <div className="column-head">
          <span>Audio is written as</span>
        </div>
        <ButtonGroup className="depths" aria-label="Sample format">
          {DEPTHS.map(([value, word]) => (
            <ToggleButton
              key={value}
              id={`depth-${value}`}
              type="radio"
              name="depth"
              variant="ink"
              value={value}
              checked={depth === value}
              disabled={form === 'flac' && value === 'float'}
              onChange={() => setDepth(value)}
            >
              {word}
            </ToggleButton>
          ))}
        </ButtonGroup>
        <div className="two-selects">
          <Form.Select
            size="sm"
            aria-label="File format"
            value={form}
            onChange={(event) => {
              setForm(event.target.value as PrintSettings['form']);
              if (event.target.value === 'flac' && depth === 'float') setDepth('24');
            }}
          >
            {FORMS.map(([value, word]) => (
              <option key={value} value={value}>
                {word}
              </option>
            ))}
          </Form.Select>
          <Form.Select
            size="sm"
            aria-label="Channels"
            value={channels}
            onChange={(event) => setChannels(event.target.value as PrintSettings['channels'])}
          >
            <option value="stereo">stereo</option>
            <option value="mono">mono</option>
          </Form.Select>
        </div>
        <Form.Select
          size="sm"
          aria-label="Sample rate"
          value={rate}
          onChange={(event) => setRate(event.target.value)}
        >
          <option value="">{document.rate_hz} Hz, the session’s own</option>
          {RATES.filter((one) => Number(one) !== document.rate_hz).map((one) => (
            <option key={one} value={one}>
              {one} Hz
            </option>
          ))}
        </Form.Select>
        <Stems
          masterDb={document.master_db ?? 0}
          revision={overview?.revision ?? 0}
          doing={doing}
          settings={{ form, depth, channels, rate_hz: rate ? Number(rate) : null }}
          lengthS={lengthS}
        />
        <p className="about">
          Every file starts where the session starts and is {clock(lengthS)} long: at zero beside the
          recording it is in place, and a WAV says its time.
        </p>
        <div className="column-head spaced">
          <span>MIDI is written with</span>
        </div>
        <Form.Select
          size="sm"
          aria-label="Ticks per quarter"
          value={perQuarter}
          onChange={(event) => setPerQuarter(Number(event.target.value))}
        >
          {Object.keys(overview?.rounding_ms ?? { [perQuarter]: 0 }).map((ticks) => (
            <option key={ticks} value={ticks}>
              {ticks} ticks per quarter
            </option>
          ))}
        </Form.Select>
        <p className="about">
          At {(document.tempo?.bpm ?? 120).toFixed(1)} bpm a note is at most{' '}
          {(overview?.rounding_ms[perQuarter] ?? 0).toFixed(2)} ms from its stroke. Drag MIDI out of the page,
          or click it.
        </p>
      </aside>
    </>
  );
}
