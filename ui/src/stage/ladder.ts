import type { Decisions } from '../api/client';
import { BOTTOM_DB } from './axes';
import { counts } from './states';

/** How many candidates lie at each level, on the field's own axis, and the gap the suggestion lies in. */
export function drawLadder(
  context: CanvasRenderingContext2D,
  decisions: Decisions,
  left: number,
  width: number,
  y: (levelDb: number) => number,
  colour: string,
  grey: string,
  quiet: string,
  gapDb: number,
): void {
  const hits = new Array<number>(-BOTTOM_DB + 1).fill(0);
  const rest = new Array<number>(-BOTTOM_DB + 1).fill(0);
  decisions.level_db.forEach((level, i) => {
    const bin = Math.floor(-level);
    if (bin >= 0 && bin < -BOTTOM_DB) (counts(decisions.state[i]!) ? hits : rest)[bin]!++;
  });
  const most = Math.max(...hits.map((count, bin) => count + rest[bin]!), 4);
  const scale = (count: number) => (width * Math.sqrt(count)) / Math.sqrt(most);
  for (let bin = 0; bin < -BOTTOM_DB; bin++) {
    const total = hits[bin]! + rest[bin]!;
    if (!total) continue;
    const top = y(-bin) + 0.5;
    const height = Math.max(y(-bin - 1) - y(-bin) - 1, 1);
    const share = scale(total) * (hits[bin]! / total);
    context.fillStyle = colour;
    context.fillRect(left, top, share, height);
    context.fillStyle = grey;
    context.fillRect(left + share, top, scale(total) - share, height);
  }
  if (gapDb < 1) return;
  const middle = decisions.suggestion.threshold_db;
  const top = y(middle + gapDb * 0.55);
  const bottom = y(middle - gapDb * 0.45);
  const x = left + width + 1;
  context.strokeStyle = quiet;
  context.lineWidth = 1.2;
  context.beginPath();
  context.moveTo(x - 5, top);
  context.lineTo(x, top);
  context.lineTo(x, bottom);
  context.lineTo(x - 5, bottom);
  context.stroke();
  context.fillStyle = quiet;
  context.font = '11px "Recursive Variable", monospace';
  context.textAlign = 'right';
  context.fillText(
    `gap ${gapDb.toFixed(0)} dB`,
    x - 8,
    Math.min(Math.max((top + bottom) / 2 - 8, top + 7), bottom - 7),
  );
  context.textAlign = 'left';
}
