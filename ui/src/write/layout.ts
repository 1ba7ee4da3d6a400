import type { Piece, Schema } from '../api/client';

export type Bar = Schema['WrittenBar'];
export type Line = Schema['WrittenLine'];

export const LEFT = 108;
const RIGHT = 26;
const NAMES_APART = 15;

/** Where everything of a bar stands: its staff, and under it how hard. */
export interface Layout {
  left: number;
  width: number;
  /** The top line of the staff, and the distance between lines. */
  top: number;
  gap: number;
  /** Where the steps are counted. */
  countY: number;
  /** How hard: from its ground upwards. */
  hardTop: number;
  hardGround: number;
}

export function layoutOf(width: number, height: number): Layout {
  const gap = Math.min(Math.max((height - 190) / 6.4, 15), 30);
  const top = 34 + 1.6 * gap;
  const countY = top + 4 * gap + 1.35 * gap + 14;
  const hardGround = height - 12;
  return {
    left: LEFT,
    width: Math.max(width - LEFT - RIGHT, 50),
    top,
    gap,
    countY,
    hardTop: Math.min(countY + 32, hardGround - 24),
    hardGround,
  };
}

export const yOfStaff = ({ top, gap }: Layout, staff: number): number => top + (4 - staff) * gap;

/** Steps are as wide as they last. */
export function xOfTime({ left, width }: Layout, bar: Bar, timeS: number): number {
  return left + ((timeS - bar.start_s) / (bar.end_s - bar.start_s)) * width;
}

/** The step whose share of the bar a place lies in: each reaches halfway to its neighbours. */
export function stepAt(layout: Layout, bar: Bar, x: number): number {
  const timeS = bar.start_s + ((x - layout.left) / layout.width) * (bar.end_s - bar.start_s);
  const steps = bar.steps_s.slice(0, -1);
  return steps.reduce(
    (best, at, index) => (Math.abs(at - timeS) < Math.abs(steps[best]! - timeS) ? index : best),
    0,
  );
}

/** The part whose place on the staff is nearest. */
export function lineAt(layout: Layout, bar: Bar, pieces: Map<string, Piece>, y: number): Line | undefined {
  let best: { line: Line; away: number } | undefined;
  for (const line of bar.lines) {
    const away = Math.abs(yOfStaff(layout, pieces.get(line.piece)?.staff ?? 2) - y);
    if (!best || away < best.away) best = { line, away };
  }
  return best && best.away <= layout.gap ? best.line : undefined;
}

/** Where the names of the parts stand beside the staff: each at its place, none over another. */
export function nameYs(layout: Layout, bar: Bar, pieces: Map<string, Piece>): Map<string, number> {
  const wanted = bar.lines
    .map((line) => ({ id: line.part_id, y: yOfStaff(layout, pieces.get(line.piece)?.staff ?? 2) }))
    .sort((a, b) => a.y - b.y);
  const ys = wanted.map(({ y }) => y);
  for (let turn = 0; turn < 40; turn++)
    for (let i = 1; i < ys.length; i++) {
      const over = NAMES_APART - (ys[i]! - ys[i - 1]!);
      if (over > 0) {
        ys[i - 1] = ys[i - 1]! - over / 2;
        ys[i] = ys[i]! + over / 2;
      }
    }
  return new Map(wanted.map(({ id }, i) => [id, ys[i]!]));
}

/** How hard, by a place over the ground of the strip. */
export function velocityAt({ hardTop, hardGround }: Layout, y: number): number {
  return Math.min(Math.max(Math.round((127 * (hardGround - y)) / (hardGround - hardTop)), 1), 127);
}

export const yOfVelocity = ({ hardTop, hardGround }: Layout, velocity: number): number =>
  hardGround - ((hardGround - hardTop) * velocity) / 127;

export const noteAt = (line: Line | undefined, step: number) =>
  line?.notes
    .filter((note) => note.step === step)
    .sort((a, b) => Math.abs(a.late_ms) - Math.abs(b.late_ms))[0];

/** What runs of bars are called. */
export function saidOfBars({ first, last, kind }: Schema['BarRun']): string {
  const numbers = first === last ? `${first}` : `${first}–${last}`;
  const words = { recorded: 'recorded', written: 'written', both: 'recorded and written', empty: 'empty' };
  return `${numbers} ${words[kind]}`;
}
