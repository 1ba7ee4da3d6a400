import type { Input } from '../stage/useGesture';
import { inside, nearest, type Point } from './mapLayout';

/** A line that is being drawn around strokes. */
export interface Lasso {
  line: Point[];
  shift: boolean;
}

export interface MapScene {
  /** Where each stroke stands, in pixels. */
  points: readonly Point[];
  /** Names of sounds, in pixels, and which group each is. */
  labels: readonly { x: number; y: number; width: number; group: number }[];
}

export type MapEffect =
  | { kind: 'point'; index: number | null; group: number | null }
  | { kind: 'choose'; indices: number[]; more: boolean }
  | { kind: 'chooseGroup'; group: number; more: boolean }
  | { kind: 'line'; line: Point[] };

const REACH = 14;
const STILL = 5;

const labelAt = (scene: MapScene, x: number, y: number): number | null =>
  scene.labels.find((one) => x >= one.x - 4 && x <= one.x + one.width + 4 && Math.abs(y - one.y) <= 9)
    ?.group ?? null;

/** Pointing, clicking and drawing around strokes on the map. */
export function drawAround(
  state: Lasso | null,
  input: Pick<Input, 'kind' | 'x' | 'y' | 'shift'>,
  scene: MapScene,
): [Lasso | null, MapEffect[]] {
  const { kind, x, y, shift } = input;
  if (kind === 'down') return [{ line: [{ x, y }], shift }, []];
  if (kind === 'leave' && !state) return [null, [{ kind: 'point', index: null, group: null }]];
  if (kind === 'cancel') return [null, [{ kind: 'line', line: [] }]];
  if (!state) {
    const group = labelAt(scene, x, y);
    return [
      null,
      [{ kind: 'point', index: group === null ? nearest(scene.points, x, y, REACH) : null, group }],
    ];
  }
  if (kind === 'move') {
    const line = [...state.line, { x, y }];
    return [{ ...state, line }, [{ kind: 'line', line }]];
  }
  if (kind !== 'up') return [state, []];
  const first = state.line[0]!;
  const far = state.line.some((point) => Math.hypot(point.x - first.x, point.y - first.y) > STILL);
  const done: MapEffect = { kind: 'line', line: [] };
  if (far) {
    const indices = scene.points.flatMap((point, index) =>
      inside(state.line, point.x, point.y) ? [index] : [],
    );
    return [null, [done, { kind: 'choose', indices, more: state.shift }]];
  }
  const group = labelAt(scene, x, y);
  if (group !== null) return [null, [done, { kind: 'chooseGroup', group, more: state.shift }]];
  const index = nearest(scene.points, x, y, REACH);
  return [null, [done, { kind: 'choose', indices: index === null ? [] : [index], more: state.shift }]];
}
