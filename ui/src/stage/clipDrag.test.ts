import { describe, expect, it } from 'vitest';
import { clipAt, dragClip, type ClipDrag, type LaneEffect, type LaneScene } from './clipDrag';
import { handOf } from './hand.fixture';

// 20 s over 1000 pixels: a clip from 2 s to 6 s and one from 6 s to 9 s; another source lies from 1 s to 15
// s.
const lane: LaneScene = {
  width: 1000,
  lengthS: 20,
  clips: [
    { start_s: 2, length_s: 4 },
    { start_s: 6, length_s: 3 },
  ],
  edgesS: [1, 15],
};

const of = (scene: LaneScene, free: boolean) =>
  handOf<ClipDrag | null, LaneEffect, number>(null, (drag, kind, x) =>
    dragClip(drag, { kind, x, free }, scene),
  );
const hand = (from: number, through: number[], { free = false, scene = lane } = {}) =>
  of(scene, free).drags(from, through);

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
    expect(of(lane, false).givesUp(150, [400])).toEqual([{ kind: 'back' }]);
    expect(of(lane, false).givesUp(150, [])).toEqual([]);
    expect(hand(150, [400, 150], { free: true }).last).toEqual({ kind: 'back' });
  });
});
