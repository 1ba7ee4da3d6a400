import { describe, expect, it } from 'vitest';
import type { Schema } from '../api/client';
import { rangeOf, type Lines } from './snap';

// 120 in four, bar 1 at half a second: bars at .5, 2.5, 4.5 …, beats every half second.
const tempo: Schema['Tempo'] = {
  known: 'set',
  sure: null,
  bpm: 120,
  beats_per_bar: 4,
  beat_unit: 4,
  bar_one_s: 0.5,
  changes: [],
};
const near: Lines = { view: { startS: 0, spanS: 8 }, width: 800, tempo };
const far: Lines = { view: { startS: 0, spanS: 240 }, width: 800, tempo };

describe('a dragged range', () => {
  it('lies on the lines that are shown, whichever way it is dragged', () => {
    expect(rangeOf(0.56, 4.41, near, false)).toEqual({ startS: 0.5, endS: 4.5 });
    expect(rangeOf(4.41, 0.56, near, false)).toEqual({ startS: 0.5, endS: 4.5 });
    expect(rangeOf(1.1, 1.9, near, false)).toEqual({ startS: 1, endS: 2 });
  });

  it('lies on bars where beats are too close to be shown', () => {
    const { startS, endS } = rangeOf(20.2, 61.7, far, false);
    for (const at of [startS, endS]) expect(((at - 0.5) / 2) % 1).toBeCloseTo(0);
  });

  it('is as it was dragged where a stroke is meant, no grid is shown, or the hand is free', () => {
    expect(rangeOf(1.1, 1.2, near, false)).toEqual({ startS: 1.1, endS: 1.2 });
    expect(rangeOf(0.56, 4.41, near, true)).toEqual({ startS: 0.56, endS: 4.41 });
    expect(rangeOf(0.56, 4.41, { ...near, tempo: null }, false)).toEqual({ startS: 0.56, endS: 4.41 });
  });

  it('is never shorter than can be heard', () => {
    const { startS, endS } = rangeOf(1, 1.001, near, false);
    expect(endS - startS).toBeCloseTo(0.03);
  });
});
