const LABEL_PX = 16;
const LETTER_PX = 8;
const HEAD_PX = 16; // with the frame of what is chosen
const COVERED_PX = 10;
const BESIDE_PX = 20;
const OTHER_SIDE_PX = 6; // what the left costs beside the right
const BY_ITS_HEAD_PX = 7; // further off, a line leads from the name to its head

export interface Label {
  x: number;
  y: number;
  anchor: 'start' | 'end';
  /** The head itself is covered by another. */
  apart: boolean;
  /** The name stands so far off that a line leads to it. */
  leads: boolean;
}

/** Where names stand beside their heads, as near as they can without lying on another name or head. */
export function placed(heads: readonly { x: number; y: number; text: string }[], edge: number): Label[] {
  const taken: { left: number; right: number; y: number }[] = heads.map(({ x, y }) => ({
    left: x - HEAD_PX,
    right: x + HEAD_PX,
    y: y + 4,
  }));
  return heads.map(({ x, y, text }) => {
    const long = text.length * LETTER_PX;
    const free = (left: number, at: number) =>
      !taken.some((one) => Math.abs(one.y - at) < LABEL_PX && one.left < left + long && left < one.right);
    const sides = [
      { anchor: 'start' as const, left: x + BESIDE_PX, costs: 0 },
      { anchor: 'end' as const, left: x - BESIDE_PX - long, costs: OTHER_SIDE_PX },
    ].filter(({ anchor, left }) => (anchor === 'start' ? left + long < edge : left > 0));
    // Nearest first, below before above.
    const tries = Array.from({ length: 48 }, (_, k) => (Math.ceil(k / 2) * LABEL_PX * (k % 2 ? 1 : -1)) / 2)
      .flatMap((by) => sides.map((side) => ({ ...side, by, costs: side.costs + Math.abs(by) })))
      .sort((a, b) => a.costs - b.costs);
    const found = tries.find(({ left, by }) => y + by > 0 && free(left, y + 4 + by)) ?? tries[0];
    const { anchor, left, by } = found ?? { anchor: 'start' as const, left: x + BESIDE_PX, by: 0 };
    taken.push({ left, right: left + long, y: y + 4 + by });
    const apart = heads.some(
      (one) => !(one.x === x && one.text === text) && Math.hypot(one.x - x, one.y - y) < COVERED_PX,
    );
    const leads = Math.abs(by) > BY_ITS_HEAD_PX;
    return { x: anchor === 'start' ? left : left + long, y: y + 4 + by, anchor, apart, leads };
  });
}
