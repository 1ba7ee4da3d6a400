import type { Schema } from '../api/client';
import type { View } from '../state/window';

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

/** The grid lines of a stretch, no closer than `leastS`: bars always where they fit, beats and sixteenths where there is room. */
export function gridLines(tempo: Schema['Tempo'], fromS: number, toS: number, leastS: number): GridLine[] {
  const beatS = (60 / (tempo.bpm ?? 120)) * (4 / (tempo.beat_unit ?? 4));
  const beats = tempo.beats_per_bar ?? 4;
  const start = tempo.bar_one_s ?? 0;
  const steps = [
    beatS / 4,
    beatS,
    beatS * beats,
    beatS * beats * 2,
    beatS * beats * 4,
    beatS * beats * 8,
    beatS * beats * 16,
    beatS * beats * 64,
  ];
  const step = steps.find((length) => length >= leastS) ?? steps[steps.length - 1]!;
  const lines: GridLine[] = [];
  for (let index = Math.max(Math.ceil((fromS - start) / step - 1e-9), 0); start + index * step <= toS; index++) {
    const passed = (index * step) / beatS;
    const whole = Math.round(passed);
    const onBeat = Math.abs(passed - whole) < 1e-6;
    const bar = Math.floor((passed + 1e-6) / beats) + 1;
    const kind = onBeat && whole % beats === 0 ? 'bar' : onBeat ? 'beat' : 'part';
    lines.push({ timeS: start + index * step, bar, beat: passed - (bar - 1) * beats + 1, kind });
  }
  return lines;
}

/** Bar and beat of a moment, as “bar 8 · beat 2.3”. */
export function barAndBeat(tempo: Schema['Tempo'], timeS: number): string {
  const beatS = (60 / (tempo.bpm ?? 120)) * (4 / (tempo.beat_unit ?? 4));
  const passed = (timeS - (tempo.bar_one_s ?? 0)) / beatS;
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
