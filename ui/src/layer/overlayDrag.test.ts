import { describe, expect, it } from 'vitest';
import { handOf } from '../stage/hand.fixture';
import { dragOverlay, type OverlayDrag, type OverlayEffect } from './overlayDrag';

const hand = handOf<OverlayDrag | null, OverlayEffect, number>(null, (drag, kind, x) =>
  dragOverlay(drag, { kind, x }, 2.5),
);

describe('the layer over the hits', () => {
  it('is shown as far as the hand went, in whole samples, and put there', () => {
    expect(hand.drags(100, [103, 90]).effects).toEqual([
      { kind: 'show', bySamples: 8 },
      { kind: 'show', bySamples: -25 },
      { kind: 'put', bySamples: -25 },
      { kind: 'show', bySamples: 0 },
    ]);
  });

  it('is put nowhere when it is only tapped or dragged back', () => {
    for (const through of [[], [140, 100]])
      expect(hand.drags(100, through).effects.filter((one) => one.kind === 'put')).toEqual([]);
  });

  it('is where it was after Escape', () => {
    expect(hand.givesUp(100, [140])).toEqual([{ kind: 'show', bySamples: 0 }]);
  });

  it('does nothing while it is not held', () => {
    expect(dragOverlay(null, { kind: 'move', x: 40 }, 2.5)).toEqual([null, []]);
    expect(dragOverlay(null, { kind: 'up', x: 40 }, 2.5)).toEqual([null, []]);
  });
});
