/** What could follow a correction, each from a reach on: how alike it has to be. */
interface Reached {
  reach: number;
}

/** Those that follow within a reach. */
export const within = <T extends Reached>(follows: readonly T[], reach: number): T[] =>
  follows.filter((one) => one.reach <= reach);

/** The next reach in which more follow, or fewer; the same where there is none. */
export function stepReach(follows: readonly Reached[], reach: number, reaches: number, by: 1 | -1): number {
  const now = within(follows, reach).length;
  for (let next = reach + by; next >= 0 && next < reaches; next += by) {
    if (within(follows, next).length !== now) return next;
  }
  return reach;
}
