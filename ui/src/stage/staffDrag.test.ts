import { describe, expect, it } from 'vitest';
import type { View } from '../state/view';
import { handOf } from './hand.fixture';
import { dragStaff, type StaffDrag } from './staffDrag';

// 100 s over 1000 pixels; 10 s are in view.
const scene = { left: 20, width: 1000, lengthS: 100, view: { startS: 40, spanS: 10 } };
const hand = handOf<StaffDrag | null, View, number>(null, (drag, kind, x) => {
  const [next, seen] = dragStaff(drag, { kind, x }, scene);
  return [next, seen ? [seen] : []];
});

describe('the staff', () => {
  it('brings what is clicked into the middle, and goes along with the hand', () => {
    const { effects, state } = hand.drags(520, [620]);
    expect(effects).toEqual([
      { startS: 45, spanS: 10 },
      { startS: 55, spanS: 10 },
    ]);
    expect(state).toBeNull();
  });

  it('stays inside the session', () => {
    const [first, second] = hand.drags(20, [5000]).effects;
    expect(first!.startS).toBeLessThanOrEqual(0);
    expect(second!.startS + second!.spanS).toBeGreaterThanOrEqual(100);
    expect(second!.startS).toBeLessThanOrEqual(100);
  });

  it('shows again what was in view when Escape gives the drag up', () => {
    expect(hand.givesUp(520, [620, 720])).toEqual([scene.view]);
  });

  it('does not follow a pointer that holds nothing', () => {
    expect(dragStaff(null, { kind: 'move', x: 500 }, scene)).toEqual([null, null]);
  });
});
