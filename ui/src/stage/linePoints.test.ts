import { describe, expect, it } from 'vitest';
import { pointAdded, pointMoved, pointTaken } from './bent';

const LINE = [
  { time_s: 1, offset_db: 0 },
  { time_s: 3, offset_db: 6 },
];

describe('the bent line by keys', () => {
  it('takes a point where it runs, in order of time', () => {
    expect(pointAdded([], 2)).toEqual({ points: [{ time_s: 2, offset_db: 0 }], at: 0 });
    expect(pointAdded(LINE, 2)).toEqual({
      points: [LINE[0], { time_s: 2, offset_db: 3 }, LINE[1]],
      at: 1,
    });
    expect(pointAdded(LINE, 9).points[2]).toEqual({ time_s: 9, offset_db: 6 });
  });

  it('goes to a point that is there instead of putting another on it', () => {
    expect(pointAdded(LINE, 3.001)).toEqual({ points: LINE, at: 1 });
  });

  it('moves one alone and stays within its bounds', () => {
    expect(pointMoved(LINE, 1, 0.5).points).toEqual([LINE[0], { time_s: 3, offset_db: 6.5 }]);
    expect(pointMoved(LINE, 0, -99).points[0]!.offset_db).toBe(-60);
  });

  it('is straight again when its last point is taken', () => {
    expect(pointTaken(LINE, 1)).toEqual({ points: [LINE[0]], at: 0 });
    expect(pointTaken([LINE[0]!], 0)).toEqual({ points: [], at: 0 });
  });
});
