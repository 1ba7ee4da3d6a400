// @vitest-environment jsdom
import { act, useRef } from 'react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { show } from '../api/hook.fixture';

vi.stubGlobal('localStorage', { getItem: () => null });
const { useWindow } = await import('../state/window');
const { useWheel } = await import('./useWheel');

const LENGTH_S = 100;
const axis = () => ({ left: 50, top: 0, width: 400, height: 100 });

function Turned() {
  const holder = useRef<HTMLDivElement | null>(null);
  useWheel(holder, axis, LENGTH_S);
  return <div ref={holder} data-testid="turned" />;
}

/** Turns the wheel over the axis, a quarter along it; gives what is in view then. */
function turn(how: WheelEventInit) {
  const { page, away } = show(<Turned />);
  act(() => useWindow.getState().set({ view: { startS: 40, spanS: 20 } }));
  const event = new WheelEvent('wheel', { clientX: 150, bubbles: true, cancelable: true, ...how });
  act(() => void page.querySelector('[data-testid=turned]')!.dispatchEvent(event));
  away();
  expect(event.defaultPrevented).toBe(true);
  return useWindow.getState().view;
}

afterEach(() => {
  act(() => useWindow.getState().set({ view: { startS: 0, spanS: 12 } }));
});

describe('the wheel', () => {
  it('zooms about the pointer, which keeps its moment', () => {
    for (const deltaY of [-240, 240]) {
      const view = turn({ deltaY });
      expect(view.startS + view.spanS / 4).toBeCloseTo(45, 9);
      expect(Math.sign(view.spanS - 20)).toBe(Math.sign(deltaY));
    }
  });

  it('goes along with Shift, and where it is turned sideways', () => {
    for (const how of [{ deltaY: 40, shiftKey: true }, { deltaX: 40 }]) {
      const view = turn(how);
      expect(view.spanS).toBe(20);
      expect(view.startS).toBeCloseTo(42, 9);
    }
  });

  it('stays on the time line', () => {
    expect(turn({ deltaX: 1e6 })).toEqual({ startS: 80, spanS: 20 });
    expect(turn({ deltaY: 1e5 })).toEqual({ startS: 0, spanS: LENGTH_S });
  });
});
