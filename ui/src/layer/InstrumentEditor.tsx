import { Form } from 'react-bootstrap';
import type { Instrument, Piece, Schema } from '../api/client';
import { useNoteName } from '../stage/noteName';

type Sample = Schema['Sample'];

const LIMITS = ['low_velocity', 'high_velocity'] as const;
const SAID = { low_velocity: 'From', high_velocity: 'Up to' };

/**
 * One instrument: its name, its piece, and every sample with the strengths it sounds at; what shares a range
 * takes turns.
 */
export function InstrumentEditor({
  instrument,
  pieces,
  onChange,
  children,
}: {
  instrument: Instrument;
  pieces: Map<string, Piece>;
  onChange: (next: Instrument) => void;
  children?: React.ReactNode;
}) {
  const noteName = useNoteName();
  const sample = (at: number, changes: Partial<Sample>) =>
    onChange({
      ...instrument,
      samples: instrument.samples.map((one, i) => (i === at ? { ...one, ...changes } : one)),
    });
  const ranges = [...new Set(instrument.samples.map(rangeOf))];
  return (
    <article className="instrument">
      <header>
        <Form.Control
          key={instrument.name}
          size="sm"
          aria-label="Name of the sound"
          defaultValue={instrument.name}
          onBlur={(event) => {
            const name = event.target.value.trim();
            if (name && name !== instrument.name) onChange({ ...instrument, name });
          }}
        />
        <Form.Select
          size="sm"
          aria-label={`Piece of ${instrument.name}`}
          value={instrument.piece}
          onChange={(event) => onChange({ ...instrument, piece: event.target.value })}
        >
          {[...pieces.values()].map((piece) => (
            <option key={piece.id} value={piece.id}>
              {piece.name}
            </option>
          ))}
        </Form.Select>
        <span className="quiet">
          {ranges.length} {ranges.length === 1 ? 'strength' : 'strengths'}, {instrument.samples.length}{' '}
          {instrument.samples.length === 1 ? 'sample' : 'samples'}
          {instrument.key != null && `, on ${noteName(instrument.key)}`}
          {instrument.silenced_by?.length
            ? `, silenced by ${instrument.silenced_by.map(noteName).join(', ')}`
            : ''}
        </span>
        {children}
      </header>
      <table>
        <thead>
          <tr>
            <th>Sample</th>
            <th>velocity</th>
            <th className="number">level</th>
            <th className="number">length</th>
            <th className="number">pitch</th>
            <th className="number">begins</th>
            <th>first half-wave</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {instrument.samples.map((one, at) => (
            <tr
              key={`${one.audio}-${at}`}
              className={at && rangeOf(one) !== rangeOf(instrument.samples[at - 1]!) ? 'new' : ''}
            >
              <td title={one.name}>{one.name || `sample ${at + 1}`}</td>
              <td className="range">
                {LIMITS.map((field) => (
                  <input
                    key={`${field}-${one[field]}`}
                    aria-label={`${SAID[field]} velocity, ${one.name || `sample ${at + 1}`}`}
                    defaultValue={one[field] ?? (field === 'low_velocity' ? 1 : 127)}
                    onBlur={(event) => {
                      const value = Math.round(Number(event.target.value));
                      if (value >= 1 && value <= 127 && value !== one[field]) sample(at, { [field]: value });
                      else event.target.value = String(one[field]);
                    }}
                    onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
                  />
                ))}
              </td>
              <td className="number">
                {one.measured ? `${minus(one.measured.loudness_lkfs.toFixed(1))} LUFS` : ''}
              </td>
              <td className="number">
                {one.measured ? `${Math.round(one.measured.length_s * 1000)} ms` : ''}
              </td>
              <td className="number">
                {one.measured?.fundamental_hz ? `${one.measured.fundamental_hz.toFixed(0)} Hz` : '–'}
              </td>
              <td className="number">{((one.attack_s ?? 0) * 1000).toFixed(1)} ms</td>
              <td>{one.measured ? (one.measured.first_half_wave === -1 ? 'down' : 'up') : ''}</td>
              <td>
                {instrument.samples.length > 1 && (
                  <button
                    type="button"
                    className="plain-act light"
                    onClick={() =>
                      onChange({ ...instrument, samples: instrument.samples.filter((_, i) => i !== at) })
                    }
                  >
                    leave out
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </article>
  );
}

const rangeOf = (sample: Sample): string => `${sample.low_velocity}-${sample.high_velocity}`;
const minus = (text: string): string => text.replace('-', '−');
