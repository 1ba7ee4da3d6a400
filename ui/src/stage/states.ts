import { firstAt } from './axes';

/** What the server says a candidate is; the numbers are those of `State` in the core. */
export const State = {
  Under: 0,
  Hit: 1,
  SoftRise: 2,
  HeldOff: 3,
  Spill: 4,
  Dropped: 5,
  Kept: 6,
  Added: 7,
  Unlike: 8,
  NotArmed: 9,
  Outside: 10,
} as const;

export const counts = (state: number): boolean =>
  state === State.Hit || state === State.Kept || state === State.Added;

/**
 * The row at a place, within `reachS`: where several stand at one place, the one that counts; -1 where none
 * is.
 */
export function rowAt(rows: { time_s: number[]; state: number[] }, timeS: number, reachS: number): number {
  const first = firstAt(rows.time_s, timeS - reachS);
  let found = -1;
  for (let i = first; i < rows.time_s.length && rows.time_s[i]! - timeS < reachS; i++) {
    if (counts(rows.state[i]!)) return i;
    if (found < 0) found = i;
  }
  return found;
}
