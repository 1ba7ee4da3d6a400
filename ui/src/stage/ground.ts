import type { Schema } from '../api/client';
import type { View } from '../state/view';
import { gridLines, timeToX } from './axes';
import type { Inks } from './heads';

export interface Box {
  left: number;
  top: number;
  width: number;
  height: number;
}

interface Ground {
  view: View;
  loop: { startS: number; endS: number } | null;
  looping: boolean;
  /** Empty where the grid is hidden. */
  tempo: Schema['Tempo'] | null;
}

/**
 * What lies under everything on a time axis: the looped range, and the grid through each box, with bar
 * numbers over the first.
 */
export function drawTimeGround(
  context: CanvasRenderingContext2D,
  look: Inks,
  { view, loop, looping, tempo }: Ground,
  boxes: [Box, ...Box[]],
): void {
  const [first] = boxes;
  const last = boxes[boxes.length - 1]!;
  const x = (timeS: number) => timeToX(timeS, view, first.left, first.width);
  if (loop) {
    const from = Math.max(x(loop.startS), first.left);
    const to = Math.min(x(loop.endS), first.left + first.width);
    if (to > from) {
      context.fillStyle = look.shade;
      context.fillRect(from, first.top - 6, to - from, last.top + last.height + 16 - first.top);
      context.fillStyle = looping ? look.ink : look.quiet;
      context.fillRect(from, first.top - 6, to - from, 3);
    }
  }
  if (!tempo) return;
  for (const line of gridLines(
    tempo,
    view.startS,
    view.startS + view.spanS,
    (view.spanS / first.width) * 22,
  )) {
    context.fillStyle = line.kind === 'bar' ? look.rule : look.faint;
    for (const box of boxes)
      context.fillRect(x(line.timeS), box.top, line.kind === 'bar' ? 1.5 : 1, box.height);
    if (line.kind === 'bar') {
      context.fillStyle = look.quiet;
      context.fillText(String(line.bar), x(line.timeS) + 4, 9);
    }
  }
}
