import { Form } from 'react-bootstrap';
import type { Limit } from '../api/limit';
import { useSettled } from '../find/useSettled';

const REST_MS = 250;

/** With how much one thing is in another: a switch, its name, a thin rule, a number. */
export function AmountRow({
  id,
  name,
  label,
  db,
  limit,
  off,
  usual,
  onDone,
}: {
  id: string;
  name: string;
  /** What a screen reader says of the amount. */
  label: string;
  /** Empty: it is not there. */
  db: number | null;
  limit: Limit;
  /** What the number says where nothing is changed. */
  off?: string;
  /** What it begins with when it is switched on. */
  usual: number;
  onDone: (db: number | null) => void;
}) {
  const [moved, setMoved] = useSettled(onDone as (value: number) => void, REST_MS);
  const shown = moved ?? db;
  return (
    <div className="amount-row">
      <Form.Check
        type="checkbox"
        id={id}
        label={name}
        checked={db !== null}
        onChange={() => onDone(db === null ? usual : null)}
      />
      {shown === null ? (
        <span className="quiet">{off}</span>
      ) : (
        <>
          <span className="number">{decibels(shown)}</span>
          <input
            type="range"
            className="form-range"
            aria-label={label}
            min={limit.low}
            max={limit.high}
            step={limit.step}
            value={shown}
            onChange={(event) => setMoved(Number(event.target.value))}
          />
        </>
      )}
    </div>
  );
}

const decibels = (db: number) => (db <= -60 ? 'none' : `${db.toFixed(1).replace('-', '−')} dB`);
