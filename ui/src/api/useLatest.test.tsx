// @vitest-environment jsdom
import { act, useEffect } from 'react';
import { describe, expect, it, vi } from 'vitest';
import { show } from './hook.fixture';
import { useLatest } from './useLatest';

vi.stubGlobal('localStorage', { getItem: () => null });
const { useWindow } = await import('../state/window');

type Latest = ReturnType<typeof useLatest<number>>;

/** What the hook gives, over work whose ends the test holds. */
function asking() {
  const begun: number[] = [];
  const ends: { done: () => void; failed: (why: Error) => void }[] = [];
  let given: Latest | null = null;
  function Asks() {
    const latest = useLatest<number>((of) => {
      begun.push(of);
      return new Promise((done, failed) => ends.push({ done, failed }));
    });
    useEffect(() => {
      given = latest;
    });
    return null;
  }
  const { away } = show(<Asks />);
  const settle = (end: () => void) => act(async () => end());
  return { begun, ends, settle, away, ...given! };
}

describe('asking while something is moved', () => {
  it('has one question under way, and then asks only the latest of those that came', async () => {
    const { ask, begun, ends, settle, away } = asking();
    for (const of of [1, 2, 3, 4]) void ask(of);
    expect(begun).toEqual([1]);
    await settle(ends[0]!.done);
    expect(begun).toEqual([1, 4]);
    await settle(ends[1]!.done);
    expect(begun).toEqual([1, 4]);
    void ask(5);
    expect(begun).toEqual([1, 4, 5]);
    away();
  });

  it('forgets what has not been asked yet', async () => {
    const { ask, forget, begun, ends, settle, away } = asking();
    void ask(1);
    void ask(2);
    forget();
    await settle(ends[0]!.done);
    expect(begun).toEqual([1]);
    away();
  });

  it('says what went wrong and goes on with the next', async () => {
    const { ask, begun, ends, settle, away } = asking();
    void ask(1);
    void ask(2);
    await settle(() => ends[0]!.failed(new Error('The line is cut.')));
    expect(useWindow.getState().notices.map(({ text }) => text)).toEqual(['The line is cut.']);
    expect(begun).toEqual([1]);
    void ask(3);
    expect(begun).toEqual([1, 3]);
    away();
  });
});
