/** A row as it lies on screen: the part it belongs to, and its upper and lower edge. */
export interface Row {
  partId: string;
  top: number;
  bottom: number;
}

/** Where a row that is let go at a height would stand among the parts, `order`, without itself; null: as it is. */
export function placeAt(
  rows: readonly Row[],
  order: readonly string[],
  moved: string,
  y: number,
): number | null {
  const others = order.filter((one) => one !== moved);
  const under = rows.filter((row) => row.partId !== moved).find((row) => y < (row.top + row.bottom) / 2);
  const to = under ? others.indexOf(under.partId) : others.length;
  return to === order.indexOf(moved) || to < 0 ? null : to;
}

/** One place up or down; null where it stands at the end. */
export function placeBeside(order: readonly string[], moved: string, by: number): number | null {
  const to = order.indexOf(moved) + by;
  return to < 0 || to >= order.length ? null : to;
}
