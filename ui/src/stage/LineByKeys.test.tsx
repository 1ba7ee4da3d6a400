// @vitest-environment jsdom
import { act } from 'react';
import { afterEach, describe, expect, it } from 'vitest';
import { show } from '../api/hook.fixture';
import { useWindow } from '../state/window';
import { LineByKeys } from './LineByKeys';
import type { LinePlace } from './linePoints';

const VALUES = { least: -60, most: 60, rest: 0 };
const LINE = [
  { time_s: 1, value: 0 },
  { time_s: 3, value: 6 },
];

let kept: LinePlace[] = [];
let away = () => {};
/** What keeps the line has not told of any press yet: it is shown as it was. */
const shown = (points: LinePlace[]) => {
  kept = points;
  away = show(
    <LineByKeys
      points={points}
      values={VALUES}
      step={0.5}
      far={3}
      said={String}
      empty="straight"
      onPoints={(next) => (kept = next)}
      onDone={() => {}}
    />,
  ).away;
};
afterEach(() => away());
const press = (...keys: string[]) => {
  for (const key of keys)
    act(() => {
      document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
    });
};

describe('a line by a fast hand', () => {
  it('loses no press, though none has been told back', () => {
    shown(LINE);
    press('ArrowUp', 'ArrowUp', 'ArrowRight', 'ArrowDown', 'ArrowLeft', 'ArrowUp');
    expect(kept).toEqual([
      { time_s: 1, value: 1.5 },
      { time_s: 3, value: 5.5 },
    ]);
  });

  it('adds at the play line and goes on from there', () => {
    shown([]);
    useWindow.getState().set({ playheadS: 2 });
    press('a', 'ArrowUp', 'ArrowUp');
    expect(kept).toEqual([{ time_s: 2, value: 1 }]);
    press('d', 'd');
    expect(kept).toEqual([]);
  });
});
