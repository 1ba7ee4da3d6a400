import type { Schema } from '../api/client';

type Line = Schema['SliceLine'];

export interface StripSlice {
  startS: number;
  number: number;
  left: string;
  width: string;
  /** Whether its number has room in it. */
  roomy: boolean;
  said: string;
}

const ROOMY = 0.011; // of the strip, beside what each digit needs
const DIGIT = 0.018;

/** Slices along a strip as wide as their source, in per cent, with what each is in words. */
export function stripOf(lines: Line[]): StripSlice[] {
  const first = lines[0]?.start_s ?? 0;
  const whole = (lines.at(-1)?.end_s ?? 1) - first || 1;
  return lines.map((line, index) => {
    const share = (line.end_s - line.start_s) / whole;
    const ms = Math.round(1000 * (line.end_s - line.start_s));
    return {
      startS: line.start_s,
      number: index + 1,
      left: `${(100 * (line.start_s - first)) / whole}%`,
      width: `${100 * share}%`,
      roomy: share >= ROOMY + DIGIT * String(index + 1).length,
      said: `${index + 1}: ${line.struck || 'nothing struck'}, ${ms} ms`,
    };
  });
}
