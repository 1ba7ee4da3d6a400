import { useState } from 'react';
import { ButtonGroup, ToggleButton } from 'react-bootstrap';
import { orderedParts, sessionLength, type BenchProps } from '../shell/bench';
import { PieceMark } from '../shell/PieceMark';
import { clock } from '../timeline/axes';
import { noteName } from '../timeline/noteName';

const DEPTHS = [
  ['16', '16 bit'],
  ['24', '24 bit'],
  ['float', '32 bit float'],
] as const;

/** Print: what do I take with me? MIDI and audio that line up with the recording when both start at zero. */
export function PrintBench({ doing, document, overview, pieces, partId, part }: BenchProps) {
  const [depth, setDepth] = useState<string>('24');
  const base = `/api/sessions/${doing.id}/print`;
  const parts = orderedParts(document);
  if (!parts.length || !part || !partId) {
    return (
      <div className="empty">
        <h2>Nothing to take along yet</h2>
        <p>Gather a recording first. Its hits leave as MIDI, its layers as audio.</p>
      </div>
    );
  }
  const name = (id: string) => overview?.parts.find((one) => one.part_id === id)?.name ?? '';
  const audio = (bus: string, of?: string) => `${base}/audio?bus=${bus}&depth=${depth}${of ? `&part=${of}` : ''}`;
  const hits = overview?.parts.reduce((sum, one) => sum + one.time_s.length, 0) ?? 0;
  const layered = parts.filter(([, one]) => Object.keys(one.layers ?? {}).length);
  return (
    <>
      <section className="large printing">
        <h2>Take the whole session</h2>
        <div className="print-row whole">
          <a className="print-act" href={`${base}/midi`} download>
            <strong>MIDI</strong>
            <span>
              {hits} notes, a track for each of {parts.length} {parts.length === 1 ? 'part' : 'parts'}
            </span>
          </a>
          <a className="print-act" href={audio('layers')} download>
            <strong>Layers</strong>
            <span>
              {layered.length
                ? `the sounds of ${layered.map(([id]) => name(id).toLowerCase()).join(', ')}`
                : 'no part has a layer yet: silence'}
              , WAV
            </span>
          </a>
          <a className="print-act" href={audio('both')} download>
            <strong>Recording and layers</strong>
            <span>blended as you hear them, WAV</span>
          </a>
        </div>
        <h2>Or part by part</h2>
        <table className="print-table">
          <tbody>
            {parts.map(([id, one]) => {
              const piece = pieces.get(one.piece);
              const count = overview?.parts.find((line) => line.part_id === id)?.time_s.length ?? 0;
              return (
                <tr key={id} className={id === partId ? 'chosen' : ''}>
                  <td>
                    {piece && <PieceMark piece={piece} />} {name(id)}
                  </td>
                  <td className="number">{count} hits</td>
                  <td className="number" title="note number · its name where 60 is C3">
                    {noteName(one.shape?.note ?? piece?.note ?? 0)}
                  </td>
                  <td>
                    <a href={`${base}/midi?part=${id}`} download aria-label={`MIDI of ${name(id)}`}>
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
                    <a href={audio('both', id)} download aria-label={`Recording and layers of ${name(id)}`}>
                      Both
                    </a>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </section>
      <aside className="settings">
        <div className="column-head">
          <span>Audio is written as</span>
        </div>
        <ButtonGroup vertical className="depths" aria-label="Sample format">
          {DEPTHS.map(([value, word]) => (
            <ToggleButton
              key={value}
              id={`depth-${value}`}
              type="radio"
              name="depth"
              variant="ink"
              value={value}
              checked={depth === value}
              onChange={() => setDepth(value)}
            >
              {word}
            </ToggleButton>
          ))}
        </ButtonGroup>
        <p className="about">
          WAV, stereo, {document.rate_hz} Hz, {clock(sessionLength(document))} long: the session's own rate and length.
        </p>
        <p className="about">
          Every file starts where the session starts. Put it at zero beside the recording and it is in place.
        </p>
        <p className="about">
          MIDI runs at {(document.tempo?.bpm ?? 120).toFixed(1)} bpm, 960 ticks per quarter, drums on channel 10. A note
          is at most {((60 / (document.tempo?.bpm ?? 120) / 960) * 500).toFixed(2)} ms from its stroke.
        </p>
      </aside>
    </>
  );
}
