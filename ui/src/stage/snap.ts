import type { Schema } from '../api/client';
import type { View } from '../state/view';
import { gridLines } from './axes';

const SHORTEST_S = 0.03;
/** Shorter than this share of a beat, a stroke is meant and no beat. */
const FREE_BEATS = 0.6;
const LEAST_LINE_PX = 22;

export interface Lines {
  view: View;
  width: number;
  /** Empty where no grid is shown: nothing snaps then. */
  tempo: Schema['Tempo'] | null;
}

/**
 * The range between two moments: on the nearest lines of the grid that is shown, bars and beats, but for one
 * that is shorter than a beat, and where the hand is to be `free`.
 */
export function rangeOf(aS: number, bS: number, { tempo, view, width }: Lines, free: boolean) {
  const [fromS, toS] = [Math.min(aS, bS), Math.max(aS, bS)];
  const asDragged = { startS: fromS, endS: Math.max(toS, fromS + SHORTEST_S) };
  if (!tempo || free) return asDragged;
  const beatS = (4 / (tempo.beat_unit ?? 4)) * (60 / (tempo.bpm ?? 120));
  if (toS - fromS < FREE_BEATS * beatS) return asDragged;
  const leastS = (view.spanS / width) * LEAST_LINE_PX;
  const lines = gridLines(tempo, Math.max(fromS - 16 * beatS, 0), toS + 16 * beatS, leastS)
    .filter(({ kind }) => kind !== 'part')
    .map(({ timeS }) => timeS);
  const startS = nearest(lines, fromS);
  const endS = nearest(lines, toS);
  return endS - startS < SHORTEST_S ? asDragged : { startS, endS };
}

const nearest = (lines: readonly number[], timeS: number): number =>
  lines.reduce(
    (best, one) => (Math.abs(one - timeS) < Math.abs(best - timeS) ? one : best),
    lines[0] ?? timeS,
  );
