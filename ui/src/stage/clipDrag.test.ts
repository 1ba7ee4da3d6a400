import { describe, expect, it } from 'vitest';
import { clipAt, dragClip, type ClipDrag, type LaneEffect, type LaneScene } from './clipDrag';

// 20 s over 1000 pixels: a clip from 2 s to 6 s and one from 6 s to 9 s; another source lies from 1 s to 15 s.
const lane: LaneScene = {
  width: 1000,
  lengthS: 20,
  clips: [
    { start_s: 2, length_s: 4 },
    { start_s: 6, length_s: 3 },
  ],
  edgesS: [1, 15],
};

function hand(from: number, through: number[], { free = false, scene = lane } = {}) {
  let drag: ClipDrag | null = null;
  const effects: LaneEffect[] = [];
  const happen = (kind: 'down' | 'move' | 'up', x: number) => {
    const [next, more] = dragClip(drag, { kind, x, free }, scene);
    drag = next;
    effects.push(...more);
  };
  happen('down', from);
  for (const x of through) happen('move', x);
  happen('up', through[through.length - 1] ?? from);
  return { effects, last: effects[effects.length - 1], drag };
}

describe('a clip', () => {
  it('lies where its sound lies', () => {
    expect([50, 150, 299, 301, 440, 460].map((x) => clipAt(lane, x))).toEqual([null, 0, 0, 1, 1, null]);
  });

  it('is dragged along the time line, to whole milliseconds', () => {
    const { effects, last } = hand(150, [177, 250.02]);
    expect(effects[0]).toMatchObject({ kind: 'show', index: 0 });
    expect(last).toEqual({ kind: 'put', index: 0, startS: 4 });
  });

  it('stays when it is only tapped, and where no clip is', () => {
    expect(hand(150, [152]).effects).toEqual([]);
    expect(hand(50, [150]).effects).toEqual([]);
  });

  it('snaps with its begin or its end to where another begins or ends, and to the start', () => {
    expect(hand(150, [104]).last).toMatchObject({ startS: 1 });
    expect(hand(310, [603 + 10]).last).toMatchObject({ index: 1, startS: 12 });
    expect(hand(150, [54]).last).toMatchObject({ startS: 0 });
  });

  it('goes right where the hand is with Alt, but not before the start', () => {
    expect((hand(150, [104], { free: true }).last as { startS: number }).startS).toBeCloseTo(1.08, 9);
    expect(hand(150, [-500], { free: true }).last).toMatchObject({ startS: 0 });
    expect(hand(150, [-500]).last).toMatchObject({ startS: 0 });
  });

  it('is where it was after Escape, and when it is dragged back', () => {
    const [drag] = dragClip(null, { kind: 'down', x: 150, free: false }, lane);
    const [moved] = dragClip(drag, { kind: 'move', x: 400, free: false }, lane);
    expect(dragClip(moved, { kind: 'cancel' }, lane)).toEqual([null, [{ kind: 'back' }]]);
    expect(dragClip(drag, { kind: 'cancel' }, lane)).toEqual([null, []]);
    expect(hand(150, [400, 150], { free: true }).last).toEqual({ kind: 'back' });
  });
});
