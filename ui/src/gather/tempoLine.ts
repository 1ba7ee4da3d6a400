import type { Schema } from '../api/client';
import { held, limitOf } from '../api/limit';
import { bpmAt, quartersAt, secondsAt, timeToX, xToTime } from '../stage/axes';
import type { Box } from '../stage/ground';
import type { View } from '../state/view';

export type TempoPoint = Schema['TempoPoint'];

const REACH_PX = 11;
const TAP_PX = 4;
const SAME_BAR = 1e-3;
/** What the axis shows beyond the slowest and the fastest, and at least in all. */
const AIR = 0.12;
const LEAST_SPAN_BPM = 16;

/** Quarters in a bar. */
export const barQuarters = (tempo: Schema['Tempo']): number =>
  ((tempo.beats_per_bar ?? 4) * 4) / (tempo.beat_unit ?? 4);

/** When a bar begins. */
export const barS = (tempo: Schema['Tempo'], bar: number): number =>
  secondsAt(tempo, (bar - 1) * barQuarters(tempo));

/** The bar nearest to a moment, from 1 on. */
export const nearestBar = (tempo: Schema['Tempo'], timeS: number): number =>
  Math.max(Math.round(quartersAt(tempo, timeS) / barQuarters(tempo)) + 1, 1);

/** The points of a tempo as it is kept: one at bar 1, one at every change behind it. */
export function pointsOf(tempo: Schema['Tempo']): TempoPoint[] {
  const out: TempoPoint[] = [{ bar: 1, bpm: bpmAt(tempo, tempo.bar_one_s ?? 0) }];
  for (const { time_s, bpm } of tempo.changes ?? []) {
    const bar = quartersAt(tempo, time_s) / barQuarters(tempo) + 1;
    if (bar > 1 + SAME_BAR)
      out.push({ bar: Math.abs(bar - Math.round(bar)) < SAME_BAR ? Math.round(bar) : bar, bpm });
  }
  return out;
}

/** The points with another at a bar, as fast as the line is there; the same where one stands there. */
export function withPoint(points: readonly TempoPoint[], bar: number, bpm?: number): TempoPoint[] {
  const others = points.filter((one) => Math.abs(one.bar - bar) > SAME_BAR);
  const here = points.findLast((one) => one.bar <= bar + SAME_BAR) ?? points[0]!;
  return [...others, { bar, bpm: rounded(bpm ?? here.bpm) }].sort((a, b) => a.bar - b.bar);
}

/** The points without one; the first always stays. */
export const withoutPoint = (points: readonly TempoPoint[], index: number): TempoPoint[] =>
  points.filter((_, other) => other === 0 || other !== index);

const rounded = (bpm: number) => held(Math.round(bpm * 100) / 100, limitOf('TempoPoint', 'bpm'));

export interface Scene {
  tempo: Schema['Tempo'];
  points: readonly TempoPoint[];
  view: View;
  box: Box;
  range: [slowest: number, fastest: number];
}

/** What the axis of tempos goes from and to. */
export function rangeBpm(points: readonly TempoPoint[]): [number, number] {
  const all = points.map((one) => one.bpm);
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const span = Math.max((high - low) * (1 + 2 * AIR), LEAST_SPAN_BPM);
  const middle = (low + high) / 2;
  return [middle - span / 2, middle + span / 2];
}

export const bpmToY = (bpm: number, { box, range: [low, high] }: Pick<Scene, 'box' | 'range'>): number =>
  box.top + box.height * (1 - (bpm - low) / (high - low));

const yToBpm = (y: number, { box, range: [low, high] }: Scene): number =>
  low + (1 - (y - box.top) / box.height) * (high - low);

/** The point under a pointer, by its place in the list. */
export function pointUnder(scene: Scene, x: number, y: number): number | null {
  let [found, nearest]: [number | null, number] = [null, REACH_PX];
  scene.points.forEach((one, index) => {
    const away = Math.hypot(
      timeToX(barS(scene.tempo, one.bar), scene.view, scene.box.left, scene.box.width) - x,
      bpmToY(one.bpm, scene) - y,
    );
    if (away < nearest) [nearest, found] = [away, index];
  });
  return found;
}

export type TempoDrag = { index: number; x: number; y: number; moved: boolean } | null;

export type TempoEffect =
  | { kind: 'choose'; index: number }
  | { kind: 'add'; bar: number; bpm: number }
  | { kind: 'show'; points: TempoPoint[] | null }
  | { kind: 'keep'; points: TempoPoint[] };

/**
 * What a pointer does to the line: a click beside it sets a point at the nearest bar, a point is dragged to
 * another tempo and, but for the first, to another bar.
 */
export function dragTempo(
  drag: TempoDrag,
  input: { kind: 'down' | 'move' | 'up' | 'leave' | 'cancel'; x: number; y: number },
  scene: Scene,
): [TempoDrag, TempoEffect[]] {
  const { kind, x, y } = input;
  if (kind === 'cancel') return [null, [{ kind: 'show', points: null }]];
  if (kind === 'down') {
    const index = pointUnder(scene, x, y);
    if (index !== null) return [{ index, x, y, moved: false }, [{ kind: 'choose', index }]];
    const timeS = xToTime(x, scene.view, scene.box.left, scene.box.width);
    if (x < scene.box.left || y < scene.box.top - REACH_PX) return [null, []];
    return [null, [{ kind: 'add', bar: nearestBar(scene.tempo, timeS), bpm: rounded(yToBpm(y, scene)) }]];
  }
  if (!drag) return [null, []];
  const moved = drag.moved || Math.hypot(x - drag.x, y - drag.y) >= TAP_PX;
  if (kind === 'leave') return [drag, []];
  if (!moved) return [kind === 'up' ? null : drag, []];
  const points = draggedTo(drag, x, y, scene);
  return kind === 'up'
    ? [null, [{ kind: 'keep', points }]]
    : [{ ...drag, moved }, [{ kind: 'show', points }]];
}

function draggedTo(
  { index, x: fromX, y: fromY }: NonNullable<TempoDrag>,
  x: number,
  y: number,
  scene: Scene,
) {
  const point = scene.points[index]!;
  const bpm = rounded(point.bpm + yToBpm(y, scene) - yToBpm(fromY, scene));
  const others = scene.points.filter((_, other) => other !== index);
  const timeS = xToTime(x, scene.view, scene.box.left, scene.box.width);
  const stays = index === 0 || Math.abs(x - fromX) < REACH_PX;
  const bar = stays ? point.bar : Math.max(nearestBar(scene.tempo, timeS), 2);
  return withPoint(others.length ? others : [point], bar, bpm);
}
