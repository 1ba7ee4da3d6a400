import { State } from '../stage/states';

/** What the shapes in the field mean. */
export function Legend({ head, ink }: { head: 'oval' | 'cross'; ink: string }) {
  const colour = `var(--piece-${ink})`;
  const mark = (state: number) => (
    <svg width="16" height="14" viewBox="-8 -7 16 14" aria-hidden="true">
      {state === State.Hit &&
        (head === 'oval' ? (
          <ellipse rx="5.5" ry="4" transform="rotate(-20)" fill={colour} />
        ) : (
          <path d="M-4 -4L4 4M4 -4L-4 4" stroke={colour} strokeWidth="2" />
        ))}
      {state === State.Under && <circle r="2.2" fill="none" stroke="var(--soft-ink)" />}
      {state === State.Spill && <path d="M0 -4.5L4.5 3.5L-4.5 3.5Z" fill="none" stroke="var(--soft-ink)" />}
      {state === State.Unlike && <path d="M0 -4L4 0L0 4L-4 0Z" fill="none" stroke="var(--soft-ink)" />}
      {state === State.SoftRise && <path d="M-4 1.5L0 -1.5L4 1.5" fill="none" stroke="var(--soft-ink)" />}
      {state === State.HeldOff && <path d="M-2 -4V4M2 -4V4" stroke="var(--soft-ink)" />}
      {state === State.Kept && (
        <>
          <circle r="6" fill="none" stroke="var(--ink)" strokeWidth="1.3" />
          <circle r="2.6" fill={colour} />
        </>
      )}
    </svg>
  );
  return (
    <div className="legend" aria-label="What the shapes mean">
      {(
        [
          [State.Hit, 'hit'],
          [State.Kept, 'by hand'],
          [State.Spill, 'spill'],
          [State.Unlike, 'unlike a stroke'],
          [State.HeldOff, 'held off'],
          [State.Under, 'under the threshold'],
        ] as const
      ).map(([state, word]) => (
        <span key={word}>
          {mark(state)} {word}
        </span>
      ))}
    </div>
  );
}
