const UNITS = ['bytes', 'kB', 'MB', 'GB', 'TB'];

/** A size in bytes as a person says it: three digits at most, in steps of a thousand. */
export function roomSaid(bytes: number): string {
  let step = 0;
  let left = bytes;
  while (left >= 999.5 && step < UNITS.length - 1) {
    left /= 1000;
    step++;
  }
  return `${left >= 10 || step === 0 ? Math.round(left) : left.toFixed(1)} ${UNITS[step]}`;
}
