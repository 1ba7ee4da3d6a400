import { describe, expect, it } from 'vitest';
import { pointAdded, pointMoved, pointTaken } from './linePoints';

const VALUES = { least: -60, most: 60, rest: 0 };
const LINE = [
  { time_s: 1, value: 0 },
  { time_s: 3, value: 6 },
];

describe('a line by keys', () => {
  it('takes a point where it runs, in order of time', () => {
    expect(pointAdded([], 2, { least: 0, most: 200, rest: 100 })).toEqual({
      points: [{ time_s: 2, value: 100 }],
      at: 0,
    });
    expect(pointAdded(LINE, 2, VALUES)).toEqual({
      points: [LINE[0], { time_s: 2, value: 3 }, LINE[1]],
      at: 1,
    });
    expect(pointAdded(LINE, 9, VALUES).points[2]).toEqual({ time_s: 9, value: 6 });
  });

  it('goes to a point that is there instead of putting another on it', () => {
    expect(pointAdded(LINE, 3.001, VALUES)).toEqual({ points: LINE, at: 1 });
  });

  it('moves one alone and stays within its bounds', () => {
    expect(pointMoved(LINE, 1, 0.5, VALUES).points).toEqual([LINE[0], { time_s: 3, value: 6.5 }]);
    expect(pointMoved(LINE, 0, -99, VALUES).points[0]!.value).toBe(-60);
    expect(pointMoved(LINE, 1, 99, VALUES).points[1]!.value).toBe(60);
  });

  it('is as nobody drew it when its last point is taken', () => {
    expect(pointTaken(LINE, 1)).toEqual({ points: [LINE[0]], at: 0 });
    expect(pointTaken([LINE[0]!], 0)).toEqual({ points: [], at: 0 });
  });
});
