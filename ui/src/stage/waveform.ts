import type { Source } from '../api/client';
import type { View } from '../state/view';
import type { Box } from './ground';
import { timeToX } from './axes';
import { exponentFor, extremes } from './tiles';

/** The gain at which the loudest sample of a view fills its box. */
function gainToFill(source: Source, view: View, width: number): number {
  let most = 0;
  for (const clip of source.clips) {
    const start = clip.start_s ?? 0;
    const from = Math.max((view.startS - start) * clip.rate_hz, 0);
    const to = Math.min((view.startS + view.spanS - start) * clip.rate_hz, clip.length_s * clip.rate_hz);
    const step = Math.max((to - from) / width, 1);
    for (let at = from; at < to; at += step) {
      const found = extremes(clip.audio, at, at + step, exponentFor(step));
      if (found) most = Math.max(most, Math.abs(found[0]), Math.abs(found[1]));
    }
  }
  return most > 0 ? 1 / most : 1;
}

/**
 * Draw a source's waveform into a box; with `fill` as loud as it gets there. Where pixels are finer than
 * samples, a line through the samples.
 */
export function drawWaveform(
  context: CanvasRenderingContext2D,
  source: Source,
  view: View,
  box: { left: number; top: number; width: number; height: number },
  colour: string,
  fill = false,
): void {
  const middle = box.top + box.height / 2;
  const half = (box.height / 2) * (fill ? gainToFill(source, view, box.width) : 1);
  context.fillStyle = colour;
  for (const clip of source.clips) {
    const start = clip.start_s ?? 0;
    const from = Math.max(timeToX(start, view, box.left, box.width), box.left);
    const to = Math.min(timeToX(start + clip.length_s, view, box.left, box.width), box.left + box.width);
    const samplesPerPixel = (view.spanS * clip.rate_hz) / box.width;
    const exponent = exponentFor(samplesPerPixel);
    const sampleAt = (x: number) =>
      (view.startS + ((x - box.left) / box.width) * view.spanS - start) * clip.rate_hz;
    if (samplesPerPixel < 1) {
      context.strokeStyle = colour;
      context.lineWidth = 1.4;
      context.beginPath();
      for (let sample = Math.max(Math.floor(sampleAt(from)), 0); sample <= sampleAt(to) + 1; sample++) {
        const found = extremes(clip.audio, sample, sample + 1, 0);
        if (found)
          context.lineTo(
            timeToX(start + sample / clip.rate_hz, view, box.left, box.width),
            middle - found[1] * half,
          );
      }
      context.stroke();
      continue;
    }
    for (let x = Math.floor(from); x < to; x++) {
      const found = extremes(clip.audio, Math.max(sampleAt(x), 0), Math.max(sampleAt(x + 1), 0), exponent);
      if (!found) continue;
      const top = middle - found[1] * half;
      context.fillRect(x, top, 1, Math.max(middle - found[0] * half - top, 0.8));
    }
  }
}

/** Draw the waveforms of a part's sources under each other, in equal shares of a box. */
export function drawWaveforms(
  context: CanvasRenderingContext2D,
  sources: readonly Source[],
  view: View,
  box: Box,
  colour: string,
): void {
  const height = box.height / sources.length;
  sources.forEach((source, index) =>
    drawWaveform(context, source, view, { ...box, top: box.top + index * height, height }, colour),
  );
}
