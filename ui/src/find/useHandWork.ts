import { useRef } from 'react';
import type { Decisions, Part } from '../api/client';
import { askAlike, askGhosts, newId, type Doing } from '../api/session';
import { useWindow } from '../state/window';
import type { Hit } from '../stage/gestures';
import { counts, rowAt } from '../stage/states';

const NEAR_S = 0.001;
const MARK_NEAR_S = 0.004;

/** What the hand is on: decisions as they are shown, and the rows that are selected or pointed at. */
interface Under {
  decisions: Decisions | null;
  selected: number | null;
  pointed: number | null;
}

/** What a hand does to single hits: keep, drop, move, add, choose what sounds alike, take a mark back. */
export function useHandWork(
  doing: Doing,
  part: Part | null,
  partId: string | null,
  { decisions, selected, pointed }: Under,
) {
  const selectedS = useWindow((state) => state.selectedS);
  const chosenS = useWindow((state) => state.chosenS);
  const set = useWindow((state) => state.set);
  /**
   * The places that keep, drop and give work on: all that are chosen, else the one that is selected or
   * pointed at.
   */
  const places = (): number[] => {
    if (chosenS.length) return chosenS;
    const index = selected ?? pointed;
    return index === null || !decisions ? [] : [decisions.time_s[index]!];
  };
  // A second nudge comes before the server has told of the first; by where it stands, where each was found.
  const nudged = useRef(new Map<number, number>());
  /** Where the candidate was found that stands at a moment: that is what marks speak of. */
  const foundAt = (standsS: number): number => {
    const index = decisions ? rowAt(decisions, standsS, NEAR_S) : -1;
    return nudged.current.get(standsS) ?? (index >= 0 ? decisions!.found_s[index]! : standsS);
  };
  const mark = (kind: 'keep' | 'drop') => {
    const at = places();
    if (!at.length || !partId) {
      useWindow
        .getState()
        .notify('Choose a candidate first: point at it, or step to it with the arrow keys.', true);
      return;
    }
    const marks = Object.fromEntries(at.map((timeS) => [newId(), { kind, time_s: foundAt(timeS) }]));
    void doing.act({ kind: 'mark', part_id: partId, marks });
    set(at.length > 1 ? { chosenS: [] } : { selectedS: at[0]! });
  };
  const shift = async (byS: number): Promise<boolean> => {
    if (!decisions || !partId) return false;
    const at = chosenS.length ? chosenS : selectedS !== null ? [selectedS] : [];
    const moved = at.flatMap((standsS) => {
      const index = rowAt(decisions, standsS, NEAR_S);
      if (!nudged.current.has(standsS) && !(index >= 0 && counts(decisions.state[index]!))) return [];
      return [{ foundS: foundAt(standsS), standsS, toS: Math.max(standsS + byS, 0) }];
    });
    if (!moved.length) {
      const said = 'Step to a hit first; then Alt with the arrow keys moves it by half a millisecond.';
      useWindow.getState().notify(said, true);
      return false;
    }
    nudged.current = new Map(moved.map((one) => [one.toS, one.foundS]));
    set(chosenS.length ? { chosenS: moved.map((one) => one.toS) } : { selectedS: moved[0]!.toS });
    const marks = moved.map(({ foundS, standsS }) => [
      newId(),
      { time_s: foundS, by_s: byS, stands_s: standsS },
    ]);
    const kept = await doing.act({ kind: 'mark', part_id: partId, marks: Object.fromEntries(marks) });
    if (!kept) set({ chosenS, selectedS });
    return kept;
  };
  /** A hit dragged to another moment; one of several that are chosen takes the others along. */
  const put = async (hit: Hit, toS: number, free: boolean): Promise<boolean> => {
    if (!partId) return false;
    if (chosenS.length > 1 && chosenS.includes(hit.standsS)) return shift(toS - hit.standsS);
    const marks = { [newId()]: { time_s: hit.foundS, to_s: toS } };
    const kept = free
      ? await doing.act({ kind: 'mark', part_id: partId, marks })
      : await doing.put(partId, hit.foundS, toS);
    const known = Object.values(doing.state()?.document.parts?.[partId]?.marks ?? {});
    const there = known.find((one) => Math.abs(one.time_s - hit.foundS) < MARK_NEAR_S)?.to_s;
    if (kept && typeof there === 'number') set({ selectedS: there, playheadS: there });
    return kept;
  };
  const add = () => {
    const { pointerS, playheadS } = useWindow.getState();
    if (partId) void doing.add(partId, pointerS ?? playheadS);
  };
  const alike = async () => {
    const index = selected ?? pointed;
    if (index === null || !partId) return;
    const found = await askAlike(doing.id, partId, index);
    set({ chosenS: found.time_s, selectedS: null });
    useWindow
      .getState()
      .notify(
        `${found.time_s.length} that sound alike are chosen; keep, drop or give works on all of them.`,
        true,
      );
  };
  // Strokes chosen as ghosts are called that when they are divided.
  const ghosts = useRef<number[] | null>(null);
  const chooseGhosts = async () => {
    if (!partId) return;
    const found = await askGhosts(doing.id, partId);
    const { notify } = useWindow.getState();
    if (!found.time_s.length) return notify('No strokes here are a soft group of their own.', true);
    ghosts.current = found.time_s;
    set({ chosenS: found.time_s, selectedS: null });
    notify(`${found.time_s.length} ghost strokes are chosen; divide makes them a part of their own.`, true);
  };
  /** The strokes that are chosen become a part of their own, and that is what is looked at then. */
  const divide = async (name: string) => {
    const struck = places().filter((standsS) => {
      const index = decisions ? rowAt(decisions, standsS, NEAR_S) : -1;
      return index >= 0 && counts(decisions!.state[index]!);
    });
    if (!struck.length || !partId)
      return useWindow.getState().notify('Choose the hits first that are to be a part of their own.', true);
    const named = chosenS.length && chosenS === ghosts.current ? `${name}, ghosts` : null;
    const made = await doing.divide(partId, struck.map(foundAt), named);
    if (made) set({ partId: made, chosenS: [], selectedS: null });
  };
  /** What was divided goes back into what it was divided from. */
  const together = async () => {
    const whole = part?.divided_from;
    if (!partId || !decisions || !whole || whole !== part.sorted_from)
      return useWindow.getState().notify('Choose a part that was divided from another one.', true);
    const struck = decisions.found_s.filter((_, index) => counts(decisions.state[index]!));
    if (await doing.join(whole, partId, struck)) set({ partId: whole, chosenS: [], selectedS: null });
  };
  const unmark = () => {
    const at = selectedS ?? (pointed !== null && decisions ? decisions.time_s[pointed]! : null);
    const found =
      at === null
        ? undefined
        : Object.entries(part?.marks ?? {}).find(
            ([, one]) => Math.abs(one.time_s - foundAt(at)) < MARK_NEAR_S,
          );
    if (found && partId) void doing.act({ kind: 'unmark', part_id: partId, mark_ids: [found[0]] });
    else useWindow.getState().notify('There is no mark by hand at this place.', true);
  };
  return { mark, shift, put, add, alike, chooseGhosts, divide, together, unmark };
}
