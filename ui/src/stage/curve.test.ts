import { describe, expect, it } from 'vitest';
import { offsetAt } from './curve';
import { headSize } from './heads';

const curve = [
  { time_s: 2, offset_db: 6 },
  { time_s: 4, offset_db: -2 },
  { time_s: 4, offset_db: 3 },
  { time_s: 5, offset_db: 3 },
];

describe('the curve of a threshold', () => {
  it('lies on the threshold where none is drawn', () => {
    expect(offsetAt([], 3)).toBe(0);
  });

  it.each([
    [0, 6],
    [2, 6],
    [3, 2],
    [3.5, 0],
    [4.5, 3],
    [9, 3],
  ])('at %d s lies %d dB over it: straight between points, level beyond them', (timeS, offset) => {
    expect(offsetAt(curve, timeS)).toBeCloseTo(offset, 9);
  });

  it('may jump where two points stand at one moment', () => {
    expect(offsetAt(curve, 3.999999)).toBeCloseTo(-2, 4);
    expect(offsetAt(curve, 4.000001)).toBeCloseTo(3, 4);
  });
});

describe('a note head', () => {
  it('grows with the velocity, from its least to its most', () => {
    const sizes = [-5, 0, 1, 64, 127, 200].map((velocity) => headSize(velocity, 3, 6.5));
    expect(sizes[0]).toBe(3);
    expect(sizes[1]).toBe(3);
    expect(sizes[4]).toBe(6.5);
    expect(sizes[5]).toBe(6.5);
    expect([...sizes].sort((a, b) => a - b)).toEqual(sizes);
  });
});
