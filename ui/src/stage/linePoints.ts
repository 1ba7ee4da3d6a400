import { lineLevelAt } from './curve';

const SAME_S = 0.005;

export interface LinePlace {
  time_s: number;
  value: number;
}

/** What a line's values may be, and what it stands at where nobody drew. */
export interface LineValues {
  least: number;
  most: number;
  rest: number;
}

export interface Touched {
  points: LinePlace[];
  /** The point that was touched. */
  at: number;
}

const tenths = (value: number): number => Math.round(value * 10) / 10;

/** Where the line runs at a moment. */
const valueAt = (points: LinePlace[], timeS: number, { rest }: LineValues): number =>
  points.length
    ? lineLevelAt(
        points.map(({ time_s, value }) => ({ time_s, level_db: value })),
        timeS,
      )
    : rest;

/** A point more, on the line where it runs; one that is there already is gone to. */
export function pointAdded(points: LinePlace[], timeS: number, values: LineValues): Touched {
  const there = points.findIndex((one) => Math.abs(one.time_s - timeS) < SAME_S);
  if (there >= 0) return { points, at: there };
  const added = { time_s: timeS, value: tenths(valueAt(points, timeS, values)) };
  const all = [...points, added].sort((a, b) => a.time_s - b.time_s);
  return { points: all, at: all.indexOf(added) };
}

/** A point higher or lower, within what a line can do. */
export function pointMoved(points: LinePlace[], at: number, by: number, values: LineValues): Touched {
  const held = (value: number) => Math.min(Math.max(tenths(value), values.least), values.most);
  return { points: points.map((one, i) => (i === at ? { ...one, value: held(one.value + by) } : one)), at };
}

/** A point less; the next one is chosen. */
export function pointTaken(points: LinePlace[], at: number): Touched {
  return { points: points.filter((_, i) => i !== at), at: Math.max(Math.min(at, points.length - 2), 0) };
}
