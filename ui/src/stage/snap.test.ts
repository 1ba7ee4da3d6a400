import { describe, expect, it } from 'vitest';
import type { Schema } from '../api/client';
import { barBeside, rangeOf, rangeTo, type Lines } from './snap';

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

describe('a range and the line by keys', () => {
  it('goes from bar to bar, and by seconds where no tempo is known', () => {
    expect(barBeside(tempo, 0.7, 1, 20)).toBe(2.5);
    expect(barBeside(tempo, 2.5, 1, 20)).toBe(4.5);
    expect(barBeside(tempo, 2.5, -1, 20)).toBe(0.5);
    expect(barBeside(tempo, 0.5, -1, 20)).toBe(0);
    expect(barBeside(tempo, 18.6, 1, 20)).toBe(20);
    expect(barBeside(null, 19.5, 1, 20)).toBe(20);
    expect(barBeside(null, 3.25, -1, 20)).toBe(2.25);
  });

  it('begins or ends at the line and keeps its other end', () => {
    expect(rangeTo(null, 'begin', 2.5, 20, near)).toEqual({ startS: 2.5, endS: 4.5 });
    expect(rangeTo({ startS: 2.5, endS: 4.5 }, 'end', 6.45, 20, near)).toEqual({ startS: 2.5, endS: 6.5 });
    expect(rangeTo({ startS: 2.5, endS: 6.5 }, 'begin', 4.5, 20, near)).toEqual({ startS: 4.5, endS: 6.5 });
  });

  it('is a bar where the other end would turn it round', () => {
    expect(rangeTo({ startS: 0.5, endS: 2.5 }, 'begin', 6.5, 20, near)).toEqual({ startS: 6.5, endS: 8.5 });
    expect(rangeTo({ startS: 8.5, endS: 9 }, 'end', 4.5, 20, near)).toEqual({ startS: 2.5, endS: 4.5 });
  });
});
