import type { Schema } from '../api/client';

export type CurvePoint = Schema['CurvePoint'];
export type LineCorner = Schema['LineCorner'];

/**
 * How high a threshold's line stands at a moment, in dB: straight from corner to corner, level beyond them.
 */
export function lineLevelAt(line: readonly LineCorner[], timeS: number): number {
  const after = line.findIndex((corner) => corner.time_s >= timeS);
  if (after <= 0) return line[after < 0 ? line.length - 1 : 0]!.level_db;
  const [a, b] = [line[after - 1]!, line[after]!];
  return a.level_db + ((b.level_db - a.level_db) * (timeS - a.time_s)) / Math.max(b.time_s - a.time_s, 1e-9);
}
