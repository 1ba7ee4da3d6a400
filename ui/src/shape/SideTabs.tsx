import { KeyOf } from '../commands/KeyOf';

export type NoteSide = 'hard' | 'when' | 'which';
export type Side = NoteSide | 'write' | 'cut';

const SIDES: [Side, string][] = [
  ['hard', 'How hard'],
  ['when', 'When'],
  ['which', 'Which note'],
  ['write', 'Write'],
  ['cut', 'Cut'],
];

// Five stand beside each other; screen readers hear the whole of it.
const SHORT: Partial<Record<Side, string>> = { which: 'Note' };

/** The side that comes after one. */
export const sideAfter = (side: Side): Side =>
  SIDES[(SIDES.findIndex(([one]) => one === side) + 1) % SIDES.length]![0];

/** The sides of Shape, and the key to the next. */
export function SideTabs({ side, onSide }: { side: Side; onSide: (side: Side) => void }) {
  return (
    <div className="column-head tabs side-tabs">
      {SIDES.map(([value, word]) => (
        <button
          key={value}
          type="button"
          className="plain-act"
          aria-label={word}
          aria-pressed={side === value}
          onClick={() => onSide(value)}
        >
          {value === sideAfter(side) && <KeyOf of="view" painted />} {SHORT[value] ?? word}
        </button>
      ))}
    </div>
  );
}
