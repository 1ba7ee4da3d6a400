import { KeyOf } from '../commands/KeyOf';
import type { Bar } from './layout';
import { barsAround } from './bars';

const SAID = {
  recorded: 'as it was recorded',
  written: 'written',
  both: 'recorded, with strokes written beside',
  empty: 'empty',
};

/** The bars around the one that is written, and what they hold. */
export function BarRow({
  bar,
  number,
  onBar,
}: {
  bar: Bar;
  number: number;
  onBar: (number: number) => void;
}) {
  const cells = barsAround(bar.bars, number);
  const kind = cells.find((one) => one.number === number)?.kind ?? 'empty';
  return (
    <div className="bar-row">
      <h2>
        Bar {number} <span className="quiet">{SAID[kind]}</span>
      </h2>
      <ol aria-label="Bars">
        {cells.map((one) => (
          <li key={one.number}>
            <button
              type="button"
              className={`bar-cell ${one.kind}`}
              aria-current={one.number === number}
              aria-label={`Bar ${one.number}, ${SAID[one.kind]}`}
              onClick={() => onBar(one.number)}
            >
              {one.number}
            </button>
          </li>
        ))}
      </ol>
      <span className="bar-keys">
        <KeyOf of="previousBar" /> <KeyOf of="nextBar" />
      </span>
    </div>
  );
}
