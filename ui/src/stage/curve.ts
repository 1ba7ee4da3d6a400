import type { Decisions, Schema } from '../api/client';

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

/**
 * Decisions with their threshold elsewhere, its line gone along: what a hand shows until the server has
 * decided.
 */
export function withThreshold<D extends Pick<Decisions, 'threshold_db' | 'line'>>(
  decisions: D,
  levelDb: number,
): D {
  const by = levelDb - decisions.threshold_db;
  const line = decisions.line.map((corner) => ({ ...corner, level_db: corner.level_db + by }));
  return { ...decisions, threshold_db: levelDb, line };
}
