/** A number with its noun: “1 hit”, “12 hits”. */
export const counted = (count: number, one: string, many = `${one}s`): string =>
  `${count} ${count === 1 ? one : many}`;
