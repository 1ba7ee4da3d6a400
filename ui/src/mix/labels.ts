const LABEL_PX = 16;
const LETTER_PX = 8;
const HEAD_PX = 10;

/** Where names stand beside their heads, so that none lies on another: to the right, else lower. */
export function placed(
  heads: readonly { x: number; y: number; text: string }[],
  edge: number,
): { x: number; y: number; anchor: 'start' | 'end'; apart: boolean }[] {
  const taken: { left: number; right: number; y: number }[] = [];
  return heads.map(({ x, y, text }) => {
    const long = text.length * LETTER_PX;
    const right = x + 20 + long < edge;
    const left = right ? x + 20 : x - 20 - long;
    let at = y + 4;
    const lies = () =>
      taken.some((one) => Math.abs(one.y - at) < LABEL_PX && one.left < left + long && left < one.right);
    for (let tries = 0; lies() && tries < 24; tries++) at += LABEL_PX / 2;
    taken.push({ left, right: left + long, y: at });
    const covered = heads.some(
      (one) => !(one.x === x && one.text === text) && Math.hypot(one.x - x, one.y - y) < HEAD_PX,
    );
    return { x: right ? left : x - 20, y: at, anchor: right ? 'start' : 'end', apart: covered };
  });
}
