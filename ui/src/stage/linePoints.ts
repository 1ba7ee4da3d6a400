import { lineLevelAt, type CurvePoint } from '../stage/curve';

const MOST_DB = 60;
const SAME_S = 0.005;

export interface Bent {
  points: CurvePoint[];
  /** The point that was touched. */
  at: number;
}

/** How far over the threshold the line runs at a moment. */
const offsetAt = (curve: CurvePoint[], timeS: number): number =>
  curve.length
    ? lineLevelAt(
        curve.map(({ time_s, offset_db }) => ({ time_s, level_db: offset_db })),
        timeS,
      )
    : 0;

/** A point more, on the line where it runs; one that is there already is gone to. */
export function pointAdded(curve: CurvePoint[], timeS: number): Bent {
  const there = curve.findIndex((one) => Math.abs(one.time_s - timeS) < SAME_S);
  if (there >= 0) return { points: curve, at: there };
  const added = { time_s: timeS, offset_db: Math.round(offsetAt(curve, timeS) * 10) / 10 };
  const points = [...curve, added].sort((a, b) => a.time_s - b.time_s);
  return { points, at: points.indexOf(added) };
}

/** A point higher or lower, within what a line can do. */
export function pointMoved(curve: CurvePoint[], at: number, byDb: number): Bent {
  const held = (db: number) => Math.min(Math.max(Math.round(db * 10) / 10, -MOST_DB), MOST_DB);
  return {
    points: curve.map((one, i) => (i === at ? { ...one, offset_db: held(one.offset_db + byDb) } : one)),
    at,
  };
}

/** A point less; the next one is chosen. */
export function pointTaken(curve: CurvePoint[], at: number): Bent {
  return { points: curve.filter((_, i) => i !== at), at: Math.max(Math.min(at, curve.length - 2), 0) };
}
