import type { Schema } from '../api/client';

export type CurvePoint = Schema['CurvePoint'];

/** How far over the threshold its curve runs at a moment, in dB; straight between the points, level beyond them. */
export function offsetAt(points: readonly CurvePoint[], timeS: number): number {
  if (!points.length) return 0;
  const after = points.findIndex((point) => point.time_s >= timeS);
  if (after === 0) return points[0]!.offset_db;
  if (after < 0) return points[points.length - 1]!.offset_db;
  const [a, b] = [points[after - 1]!, points[after]!];
  return a.offset_db + ((b.offset_db - a.offset_db) * (timeS - a.time_s)) / Math.max(b.time_s - a.time_s, 1e-9);
}
