const LABEL_PX = 16;
const LETTER_PX = 8;
const HEAD_PX = 10;

/**
 * Where names stand beside their heads, as near as they can without lying on another name or head; `apart`: the
 * head itself is covered by another.
 */
export function placed(
  heads: readonly { x: number; y: number; text: string }[],
  edge: number,
): { x: number; y: number; anchor: 'start' | 'end'; apart: boolean }[] {
  const taken: { left: number; right: number; y: number }[] = heads.map(({ x, y }) => ({
    left: x - HEAD_PX,
    right: x + HEAD_PX,
    y: y + 4,
  }));
  return heads.map(({ x, y, text }) => {
    const long = text.length * LETTER_PX;
    const right = x + 20 + long < edge;
    const left = right ? x + 20 : x - 20 - long;
    const free = (at: number) =>
      !taken.some((one) => Math.abs(one.y - at) < LABEL_PX && one.left < left + long && left < one.right);
    // Nearest first, below before above.
    const tries = Array.from({ length: 48 }, (_, k) => (Math.ceil(k / 2) * LABEL_PX * (k % 2 ? 1 : -1)) / 2);
    const at = y + 4 + (tries.find((by) => free(y + 4 + by) && y + by > 0) ?? 0);
    taken.push({ left, right: left + long, y: at });
    const covered = heads.some(
      (one) => !(one.x === x && one.text === text) && Math.hypot(one.x - x, one.y - y) < HEAD_PX,
    );
    return { x: right ? left : x - 20, y: at, anchor: right ? 'start' : 'end', apart: covered };
  });
}
