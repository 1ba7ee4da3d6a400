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

export const counts = (state: number): boolean => state === State.Hit || state === State.Kept || state === State.Added;
