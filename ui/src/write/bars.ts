import type { Schema } from '../api/client';

type Run = Schema['BarRun'];

const SHOWN = 14;

/** The bars around one, each with what it holds: as many as there is room for. */
export function barsAround(runs: Run[], number: number): { number: number; kind: Run['kind'] }[] {
  const first = runs[0]?.first ?? 1;
  const last = Math.max(runs.at(-1)?.last ?? 1, number);
  const from = Math.max(Math.min(number - Math.floor(SHOWN / 2), last - SHOWN + 1), first);
  return Array.from({ length: Math.min(SHOWN, last - from + 1) }, (_, k) => {
    const at = from + k;
    return { number: at, kind: runs.find((run) => run.first <= at && at <= run.last)?.kind ?? 'empty' };
  });
}

/** The run of written bars that a bar belongs to, else the bar alone. */
export function writtenAround(runs: Run[], number: number): { bar: number; to_bar: number } {
  const run = runs.find((one) => one.first <= number && number <= one.last);
  return run && run.kind === 'written'
    ? { bar: run.first, to_bar: run.last }
    : { bar: number, to_bar: number };
}
