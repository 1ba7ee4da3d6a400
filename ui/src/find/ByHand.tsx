import type { BenchProps } from '../shell/bench';
import { useWindow } from '../state/window';
import { viewShowing } from '../state/view';
import { clock } from '../stage/axes';

const WORDS = { keep: 'kept', drop: 'dropped', add: 'added' } as const;

/** Every mark of a part, to go to and to take back. */
export function ByHand({ doing, lengthS, partId, part }: BenchProps) {
  const set = useWindow((state) => state.set);
  const marks = Object.entries(part?.marks ?? {}).sort(([, a], [, b]) => a.time_s - b.time_s);
  if (!partId || !marks.length) {
    return (
      <p className="about">
        Nothing is decided by hand yet. Keep, drop, add or move a hit, and it stands here whatever the
        settings become.
      </p>
    );
  }
  const goTo = (timeS: number) =>
    set({
      selectedS: timeS,
      playheadS: timeS,
      view: viewShowing(useWindow.getState().view, timeS, lengthS),
    });
  const back = (ids: string[] | null) => void doing.act({ kind: 'unmark', part_id: partId, mark_ids: ids });
  return (
    <>
      <ul className="by-hand" data-testid="marks">
        {marks.map(([id, mark]) => (
          <li key={id}>
            <button type="button" className="plain-act number" onClick={() => goTo(mark.to_s ?? mark.time_s)}>
              {clock(mark.time_s, 3)}
            </button>
            <span>
              {mark.to_s === null || mark.to_s === undefined
                ? WORDS[mark.kind]
                : `moved ${((mark.to_s - mark.time_s) * 1000).toFixed(1).replace('-', '−')} ms`}
            </span>
            <button
              type="button"
              className="plain-act light"
              onClick={() => back([id])}
              aria-label={`Take back ${clock(mark.time_s, 3)}`}
            >
              take back
            </button>
          </li>
        ))}
      </ul>
      <button type="button" className="plain-act light" onClick={() => back(null)}>
        Take all {marks.length} back
      </button>
    </>
  );
}
