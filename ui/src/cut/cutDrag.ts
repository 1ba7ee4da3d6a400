import type { Schema } from '../api/client';
import { timeToX, xToTime } from '../stage/axes';
import type { Box } from '../stage/ground';
import type { Input } from '../stage/useGesture';
import type { View } from '../state/view';

export type SliceLine = Schema['SliceLine'];

const NEAR = 7; // pixels
const HANDLE_DOWN = 22; // of the fades' handles, from the top

/** What lies under the pointer. */
export type Held =
  | { kind: 'edge'; index: number }
  | { kind: 'fadeIn' | 'fadeOut'; index: number }
  | { kind: 'slice'; index: number };

export interface Scene {
  lines: SliceLine[];
  chosen: number;
  view: View;
  box: Box;
}

/** Where the fades of a slice end and begin. */
export function fadesOf(lines: SliceLine[], index: number): { inS: number; outS: number } {
  const line = lines[index]!;
  const out = line.fade_out_ms ?? 0;
  return {
    inS: Math.min(line.start_s + line.fade_in_ms / 1000, line.end_s),
    outS: Math.max(line.end_s - out / 1000, line.start_s),
  };
}

/** What a place on the waveform holds: a handle of the chosen slice's fades, an edge, or a slice. */
export function heldAt({ lines, chosen, view, box }: Scene, x: number, y: number): Held | null {
  const xOf = (timeS: number) => timeToX(timeS, view, box.left, box.width);
  const line = lines[chosen];
  if (line && y < box.top + HANDLE_DOWN) {
    const { inS, outS } = fadesOf(lines, chosen);
    const away = [Math.abs(xOf(inS) - x), Math.abs(xOf(outS) - x)] as const;
    if (Math.min(...away) <= NEAR) {
      // Where both handles are one, the side the pointer is on says which.
      return { kind: away[0] < away[1] ? 'fadeIn' : 'fadeOut', index: chosen };
    }
  }
  let edge = -1;
  for (let index = 1; index < lines.length; index++) {
    const away = Math.abs(xOf(lines[index]!.start_s) - x);
    if (away <= NEAR && (edge < 0 || away < Math.abs(xOf(lines[edge]!.start_s) - x))) edge = index;
  }
  if (edge > 0) return { kind: 'edge', index: edge };
  const timeS = xToTime(x, view, box.left, box.width);
  const index = lines.findIndex((one) => one.start_s <= timeS && timeS < one.end_s);
  return index < 0 ? null : { kind: 'slice', index };
}

/** A drag under way: what is held, where it is, and whether it goes exactly there. */
export interface Drag {
  held: Held;
  timeS: number;
  free: boolean;
  moved: boolean;
}

export type Effect =
  | { kind: 'choose'; index: number }
  | { kind: 'line'; timeS: number }
  | { kind: 'put'; index: number; timeS: number; free: boolean }
  | { kind: 'fade'; index: number; which: 'in' | 'out'; ms: number }
  | { kind: 'show'; drag: Drag | null };

const LEAST_PIXELS = 3;

/** Drag edges and fades; a click on a slice chooses it. */
export function dragCut(
  drag: Drag | null,
  input: Pick<Input, 'kind' | 'x' | 'y' | 'alt'>,
  scene: Scene,
): [Drag | null, Effect[]] {
  const { view, box, lines } = scene;
  const timeS = xToTime(input.x, view, box.left, box.width);
  if (input.kind === 'down') {
    const held = heldAt(scene, input.x, input.y);
    if (!held) return [null, [{ kind: 'line', timeS: Math.max(timeS, 0) }]];
    const effects: Effect[] = [{ kind: 'choose', index: held.index }];
    if (held.kind === 'slice') return [null, [...effects, { kind: 'line', timeS: Math.max(timeS, 0) }]];
    const begin = { held, timeS, free: input.alt, moved: false };
    return [begin, effects];
  }
  if (!drag) return [null, []];
  if (input.kind === 'cancel') return [null, [{ kind: 'show', drag: null }]];
  if (input.kind === 'move') {
    const far = Math.abs(timeS - drag.timeS) * (box.width / view.spanS);
    if (!drag.moved && far < LEAST_PIXELS) return [drag, []];
    const next = { ...drag, timeS, free: input.alt, moved: true };
    return [next, [{ kind: 'show', drag: next }]];
  }
  if (input.kind === 'leave') return [drag, []];
  const over: Effect = { kind: 'show', drag: null };
  if (!drag.moved) return [null, [over]];
  const { held } = drag;
  const line = lines[held.index];
  if (!line) return [null, [over]];
  if (held.kind === 'edge')
    return [null, [{ kind: 'put', index: held.index, timeS: drag.timeS, free: drag.free }]];
  const which = held.kind === 'fadeIn' ? 'in' : 'out';
  const ms = 1000 * (which === 'in' ? drag.timeS - line.start_s : line.end_s - drag.timeS);
  return [null, [{ kind: 'fade', index: held.index, which, ms: Math.max(ms, 0) }, over]];
}
