import { describe, expect, it } from 'vitest';
import { lineLevelAt, withThreshold } from './curve';
import { headSize } from './heads';

const line = [
  { time_s: 2, level_db: -24 },
  { time_s: 4, level_db: -32 },
  { time_s: 4, level_db: -27 },
  { time_s: 5, level_db: -27 },
];

describe('the line of a threshold', () => {
  it('is level where nothing bends it', () => {
    for (const timeS of [0, 3, 900]) expect(lineLevelAt([{ time_s: 0, level_db: -30 }], timeS)).toBe(-30);
  });

  it.each([
    [0, -24],
    [2, -24],
    [3, -28],
    [3.5, -30],
    [4.5, -27],
    [9, -27],
  ])('at %d s stands at %d dB: straight between corners, level beyond them', (timeS, level) => {
    expect(lineLevelAt(line, timeS)).toBeCloseTo(level, 9);
  });

  it('may jump where two corners stand at one moment', () => {
    expect(lineLevelAt(line, 3.999999)).toBeCloseTo(-32, 4);
    expect(lineLevelAt(line, 4.000001)).toBeCloseTo(-27, 4);
  });
});

describe('a threshold on its way', () => {
  it('takes its line along, so that it stays as far over it as it was', () => {
    const shown = withThreshold({ threshold_db: -30, line }, -36.5);
    expect(shown.threshold_db).toBe(-36.5);
    for (const timeS of [0, 2.5, 4.2, 9])
      expect(lineLevelAt(shown.line, timeS)).toBeCloseTo(lineLevelAt(line, timeS) - 6.5, 9);
    expect(line[0]!.level_db).toBe(-24);
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
