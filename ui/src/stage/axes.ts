import type { Document, Schema } from '../api/client';
import type { View } from '../state/view';

export const timeToX = (timeS: number, view: View, left: number, width: number): number =>
  left + ((timeS - view.startS) / view.spanS) * width;

export const xToTime = (x: number, view: View, left: number, width: number): number =>
  view.startS + ((x - left) / width) * view.spanS;

export const TOP_DB = 0;
export const BOTTOM_DB = -60;

export const levelToY = (levelDb: number, top: number, height: number): number =>
  top + ((TOP_DB - Math.max(levelDb, BOTTOM_DB)) / (TOP_DB - BOTTOM_DB)) * height;

export const yToLevel = (y: number, top: number, height: number): number =>
  TOP_DB - ((y - top) / height) * (TOP_DB - BOTTOM_DB);

/** The first index whose time is not before `timeS`. */
export function firstAt(times: readonly number[], timeS: number): number {
  let low = 0;
  let high = times.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (times[middle]! < timeS) low = middle + 1;
    else high = middle;
  }
  return low;
}

export interface GridLine {
  timeS: number;
  bar: number;
  beat: number;
  kind: 'bar' | 'beat' | 'part';
}

/** The tempo whose grid may be drawn and named; null until one is known, and where there is none. */
export function knownTempo(document: Document): Schema['Tempo'] | null {
  const tempo = document.tempo;
  return tempo && (tempo.known === 'told' || tempo.known === 'set') ? tempo : null;
}

/**
 * Where each tempo begins, in seconds and in quarters from bar 1, and its quarters a second; the first
 * reaches back for ever.
 */
function knots(tempo: Schema['Tempo']): [number, number, number][] {
  const out: [number, number, number][] = [[0, 0, (tempo.bpm ?? 120) / 60]];
  for (const change of tempo.changes ?? []) {
    const [at, quarters, speed] = out[out.length - 1]!;
    out.push([change.time_s, quarters + (change.time_s - at) * speed, change.bpm / 60]);
  }
  const start = tempo.bar_one_s ?? 0;
  const [at, quarters, speed] = out.findLast(([begins]) => begins <= start) ?? out[0]!;
  const one = quarters + (start - at) * speed;
  return out.map(([begins, passed, fast]) => [begins, passed - one, fast]);
}

/** Quarters from bar 1 at a moment. */
export function quartersAt(tempo: Schema['Tempo'], timeS: number): number {
  const all = knots(tempo);
  const [at, quarters, speed] = all.findLast(([begins]) => begins <= timeS) ?? all[0]!;
  return quarters + (timeS - at) * speed;
}

/** Seconds at so many quarters from bar 1. */
export function secondsAt(tempo: Schema['Tempo'], quarters: number): number {
  const all = knots(tempo);
  const [at, begins, speed] = all.findLast(([, passed]) => passed <= quarters) ?? all[0]!;
  return at + (quarters - begins) / speed;
}

/** The tempo in words, where one is known: how fast, in which bar, and whether the hits told it. */
export function tempoSaid(tempo: Schema['Tempo'], timeS = tempo.bar_one_s ?? 0): string {
  const told = tempo.known === 'told' ? ', detected' : '';
  return `${bpmAt(tempo, timeS).toFixed(1)} bpm in ${tempo.beats_per_bar}/${tempo.beat_unit}${told}`;
}

/** Quarters a minute at a moment. */
export function bpmAt(tempo: Schema['Tempo'], timeS: number): number {
  return (tempo.changes ?? []).findLast((one) => one.time_s <= timeS)?.bpm ?? tempo.bpm ?? 120;
}

/**
 * The grid lines of a stretch, no closer than `leastS`: bars always where they fit, beats and sixteenths
 * where there is room.
 */
export function gridLines(tempo: Schema['Tempo'], fromS: number, toS: number, leastS: number): GridLine[] {
  const beat = 4 / (tempo.beat_unit ?? 4);
  const beats = tempo.beats_per_bar ?? 4;
  const all = knots(tempo);
  const quarterS = 1 / Math.max(...all.map(([, , speed]) => speed));
  const bar = beat * beats;
  const steps = [beat / 4, beat, bar, bar * 2, bar * 4, bar * 8, bar * 16, bar * 64];
  const step = steps.find((length) => length * quarterS >= leastS) ?? steps[steps.length - 1]!;
  const lines: GridLine[] = [];
  let knot = 0;
  for (let index = Math.max(Math.ceil(quartersAt(tempo, fromS) / step - 1e-9), 0); ; index++) {
    const quarters = index * step;
    while (knot + 1 < all.length && all[knot + 1]![1] <= quarters) knot++;
    const [at, begins, speed] = all[knot]!;
    const timeS = at + (quarters - begins) / speed;
    if (timeS > toS) return lines;
    const passed = quarters / beat;
    const whole = Math.round(passed);
    const onBeat = Math.abs(passed - whole) < 1e-6;
    const number = Math.floor((passed + 1e-6) / beats) + 1;
    const kind = onBeat && whole % beats === 0 ? 'bar' : onBeat ? 'beat' : 'part';
    lines.push({ timeS, bar: number, beat: passed - (number - 1) * beats + 1, kind });
  }
}

/** Bar and beat of a moment, as “bar 8 · beat 2.3”. */
export function barAndBeat(tempo: Schema['Tempo'], timeS: number): string {
  const passed = quartersAt(tempo, timeS) / (4 / (tempo.beat_unit ?? 4));
  if (passed < -1e-6) return 'before bar 1';
  const beats = tempo.beats_per_bar ?? 4;
  const bar = Math.floor(passed / beats + 1e-9);
  return `bar ${bar + 1} · beat ${(Math.floor((passed - bar * beats) * 10 + 1e-6) / 10 + 1).toFixed(1)}`;
}

/** Seconds as minutes, seconds and hundredths. */
export function clock(timeS: number, digits = 2): string {
  const minutes = Math.floor(timeS / 60);
  return `${minutes}:${(timeS - minutes * 60).toFixed(digits).padStart(digits + 3, '0')}`;
}

/** Decibels with a true minus sign. */
export const decibels = (level: number, digits = 1): string => level.toFixed(digits).replace('-', '−');
