// @vitest-environment jsdom
import { act, useEffect } from 'react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { Decisions, Part } from '../api/client';
import { show } from '../api/hook.fixture';
import type { Doing } from '../api/session';
import { State } from '../stage/states';

vi.stubGlobal('localStorage', { getItem: () => null });
const { useWindow } = await import('../state/window');
const { useHandWork } = await import('./useHandWork');

// Hits at 1 s and 3 s, the first found a little later than it stands; spill at 2 s.
const decisions = {
  time_s: [1, 2, 3],
  found_s: [1.004, 2, 3],
  state: [State.Kept, State.Spill, State.Hit],
} as unknown as Decisions;
const part = { marks: { m1: { kind: 'keep', time_s: 1.004, to_s: 1 } } } as unknown as Part;

/** The hook over a session that takes or refuses what is asked. */
function hand(under: { selected?: number | null; pointed?: number | null } = {}, takes = true) {
  const acts: Record<string, unknown>[] = [];
  const puts: unknown[][] = [];
  const doing = {
    id: 's',
    act: async (action: Record<string, unknown>) => {
      acts.push(action);
      return takes;
    },
    put: async (...asked: unknown[]) => {
      puts.push(asked);
      return takes;
    },
    add: vi.fn(async () => takes),
    divide: vi.fn(async () => (takes ? 'divided' : null)),
    join: vi.fn(async () => takes),
    state: () => ({ document: { parts: { p: { marks: { m: { time_s: 1.004, to_s: 1.25 } } } } } }),
  } as unknown as Doing;
  let given: ReturnType<typeof useHandWork> | null = null;
  const at = { decisions, selected: under.selected ?? null, pointed: under.pointed ?? null };
  function Works() {
    const now = useHandWork(doing, part, 'p', at);
    useEffect(() => {
      given = now;
    });
    return null;
  }
  const shown = show(<Works />);
  const marks = () => acts.map(({ marks: of }) => Object.values(of as Record<string, unknown>));
  const does = <T,>(work: (with_: ReturnType<typeof useHandWork>) => T) =>
    act(async () => void (await work(given!)));
  return { acts, puts, marks, does, doing, away: shown.away };
}
const chosen = (changes: Parameters<ReturnType<typeof useWindow.getState>['set']>[0]) =>
  act(() => useWindow.getState().set(changes));
const said = () => useWindow.getState().notices.map(({ text }) => text);

afterEach(() => {
  chosen({ selectedS: null, chosenS: [], playheadS: 0, pointerS: null });
  for (const { id } of useWindow.getState().notices) useWindow.getState().dismiss(id);
});

describe('hand work', () => {
  it('keeps and drops what is chosen, else selected or pointed at, by where it was found', async () => {
    const { does, marks, away } = hand({ selected: 0, pointed: 1 });
    await does(({ mark }) => mark('drop'));
    chosen({ chosenS: [1, 3] });
    await does(({ mark }) => mark('keep'));
    expect(marks()).toEqual([
      [{ kind: 'drop', time_s: 1.004 }],
      [
        { kind: 'keep', time_s: 1.004 },
        { kind: 'keep', time_s: 3 },
      ],
    ]);
    away();
  });

  it('divides what is chosen and struck, by where it was found, and shows the new part', async () => {
    const { does, doing, away } = hand();
    chosen({ chosenS: [1, 2, 3] });
    await does(({ divide }) => divide('Snare'));
    expect(doing.divide).toHaveBeenCalledWith('p', [1.004, 3], null);
    expect(useWindow.getState()).toMatchObject({ partId: 'divided', chosenS: [] });
    await does(({ divide }) => divide('Snare'));
    expect(said()).toContain('Choose the hits first that are to be a part of their own.');
    away();
  });

  it('joins only a part that was divided, with its strokes, and shows the whole', async () => {
    const { does, doing, away } = hand();
    await does(({ together }) => together());
    expect(said()).toContain('Choose a part that was divided from another one.');
    part.divided_from = part.sorted_from = 'whole';
    await does(({ together }) => together());
    part.divided_from = part.sorted_from = null;
    expect(doing.join).toHaveBeenCalledExactlyOnceWith('whole', 'p', [1.004, 3]);
    expect(useWindow.getState().partId).toBe('whole');
    away();
  });

  it('says so where there is nothing to keep', async () => {
    const { does, acts, away } = hand();
    await does(({ mark }) => mark('keep'));
    expect(acts).toEqual([]);
    expect(said()[0]).toContain('Choose a candidate first');
    away();
  });

  it('nudges on from where the last nudge put it, before the session has told of that', async () => {
    const { does, marks, away } = hand({ selected: 0 });
    chosen({ selectedS: 1 });
    await does(({ shift }) => shift(0.0005));
    await does(({ shift }) => shift(0.0005));
    expect(useWindow.getState().selectedS).toBeCloseTo(1.001, 9);
    expect(marks().flat()).toEqual([
      { time_s: 1.004, by_s: 0.0005, stands_s: 1 },
      { time_s: 1.004, by_s: 0.0005, stands_s: 1.0005 },
    ]);
    away();
  });

  it('moves no spill, and leaves everything where it was when the session refuses', async () => {
    const refused = hand({}, false);
    chosen({ chosenS: [1, 2, 3] });
    await refused.does(({ shift }) => shift(0.01));
    expect(refused.marks()[0]).toHaveLength(2);
    expect(useWindow.getState().chosenS).toEqual([1, 2, 3]);
    refused.away();
    const { does, acts, away } = hand();
    chosen({ chosenS: [], selectedS: 2 });
    await does(({ shift }) => shift(0.01));
    expect(acts).toEqual([]);
    expect(said()[0]).toContain('Step to a hit first');
    away();
  });

  it('puts a dragged hit where it snaps, or right there with Alt, and selects it there', async () => {
    const { does, puts, marks, away } = hand();
    const hit = { foundS: 1.004, standsS: 1 };
    await does(({ put }) => put(hit, 1.2, false));
    expect(puts).toEqual([['p', 1.004, 1.2]]);
    expect(useWindow.getState()).toMatchObject({ selectedS: 1.25, playheadS: 1.25 });
    await does(({ put }) => put(hit, 1.2, true));
    expect(marks()).toEqual([[{ time_s: 1.004, to_s: 1.2 }]]);
    away();
  });

  it('takes the others along when one of several is dragged', async () => {
    const { does, marks, away } = hand();
    chosen({ chosenS: [1, 3] });
    await does(({ put }) => put({ foundS: 1.004, standsS: 1 }, 1.1, false));
    expect(marks()[0]).toHaveLength(2);
    away();
  });

  it('adds at the pointer, else at the line, and takes back the mark that is there', async () => {
    const { does, doing, acts, away } = hand({ selected: 0 });
    chosen({ playheadS: 4, selectedS: 1 });
    await does(({ add }) => add());
    chosen({ pointerS: 2.5 });
    await does(({ add }) => add());
    expect(doing.add).toHaveBeenNthCalledWith(1, 'p', 4);
    expect(doing.add).toHaveBeenNthCalledWith(2, 'p', 2.5);
    await does(({ unmark }) => unmark());
    expect(acts).toEqual([{ kind: 'unmark', part_id: 'p', mark_ids: ['m1'] }]);
    chosen({ selectedS: 3 });
    await does(({ unmark }) => unmark());
    expect(said()[0]).toContain('no mark by hand');
    away();
  });
});
