import type { Schema } from '../api/client';
import type { View } from '../state/view';
import { gridLines } from './axes';

const SHORTEST_S = 0.03;
/** Shorter than this share of a beat, a stroke is meant and no beat. */
const FREE_BEATS = 0.6;
const LEAST_LINE_PX = 22;
const SAME_S = 0.002;

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

/** The line a bar earlier or later than a moment, on the bars; where no tempo is known, a second away. */
export function barBeside(tempo: Schema['Tempo'] | null, timeS: number, by: 1 | -1, lengthS: number): number {
  const held = (atS: number) => Math.min(Math.max(atS, 0), lengthS);
  if (!tempo) return held(timeS + by);
  const bars = gridLines(tempo, 0, lengthS, 0)
    .filter(({ kind }) => kind === 'bar')
    .map((line) => line.timeS);
  const beside =
    by > 0 ? bars.find((atS) => atS > timeS + SAME_S) : bars.findLast((atS) => atS < timeS - SAME_S);
  return beside ?? held(by > 0 ? lengthS : 0);
}

/** The range with one end at a moment; the other stays, or lies a bar away where that would turn it round. */
export function rangeTo(
  range: { startS: number; endS: number } | null,
  end: 'begin' | 'end',
  atS: number,
  lengthS: number,
  lines: Lines,
): { startS: number; endS: number } {
  const otherS =
    end === 'begin'
      ? range && range.endS > atS + SHORTEST_S
        ? range.endS
        : barBeside(lines.tempo, atS, 1, lengthS)
      : range && range.startS < atS - SHORTEST_S
        ? range.startS
        : barBeside(lines.tempo, atS, -1, lengthS);
  return rangeOf(atS, otherS, lines, false);
}

const nearest = (lines: readonly number[], timeS: number): number =>
  lines.reduce(
    (best, one) => (Math.abs(one - timeS) < Math.abs(best - timeS) ? one : best),
    lines[0] ?? timeS,
  );
