import { BOTTOM_DB, timeToX, TOP_DB, yToLevel } from './axes';
import { outlineOf, yToDown, type GapHold, type GapPut } from './gaps';
import { counts } from './states';
import { lineLevelAt, type CurvePoint } from './curve';
import type { Pointed, Scene } from './hit';
import { rangeOf } from './snap';

const TAP_PX = 5;

/** A hit by where it was found and where it stood when it was taken: rows may change while it is dragged. */
export interface Hit {
  foundS: number;
  standsS: number;
}

/** What the pointer is doing on a stage. */
export type Gesture =
  | { kind: 'idle' }
  | { kind: 'line'; from: Pointed; on: number | null; moved: boolean }
  | { kind: 'curve'; from: Pointed; point: number; moved: boolean }
  | { kind: 'hit'; from: Pointed; hit: Hit; moved: boolean }
  | { kind: 'box'; from: Pointed; moved: boolean }
  | { kind: 'gap'; from: Pointed; hold: GapHold; moved: boolean }
  | { kind: 'loop'; from: Pointed; moved: boolean; before: Scene['loop']; looping: boolean };

export const IDLE: Gesture = { kind: 'idle' };

/** What the pointer does, and what lies under it; `free`: nothing snaps. */
export interface StageEvent {
  kind: 'down' | 'move' | 'up' | 'cancel' | 'leave';
  at: Pointed;
  free: boolean;
}

export interface BoxPx {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** What follows from a gesture; the component does it. `ended`: let go, so that it is kept. */
export type Effect =
  | { kind: 'point'; at: Pointed | null }
  | { kind: 'select'; timeS: number }
  | { kind: 'go'; timeS: number }
  | { kind: 'threshold'; levelDb: number; ended: boolean }
  | { kind: 'curve'; points: CurvePoint[]; ended: boolean }
  | { kind: 'forget' }
  | { kind: 'hit'; hit: Hit; toS: number; free: boolean; ended: boolean }
  | { kind: 'hitBack' }
  | { kind: 'gap'; put: GapPut; ended: boolean }
  | { kind: 'gapBack' }
  | { kind: 'box'; box: BoxPx | null }
  | { kind: 'choose'; timesS: number[] }
  | { kind: 'loop'; loop: Scene['loop']; looping: boolean };

type Step = [Gesture, Effect[]];

/** One step of what the pointer does: the next state, and what follows from it. */
export function step(gesture: Gesture, event: StageEvent, scene: Scene): Step {
  switch (event.kind) {
    case 'cancel':
      return [IDLE, taken(gesture)];
    case 'leave':
      return [gesture, [{ kind: 'point', at: null }]];
    case 'down':
      return begin(event.at, event.free, scene);
    case 'move':
      return gesture.kind === 'idle'
        ? [gesture, [{ kind: 'point', at: event.at }]]
        : move(gesture, event, scene);
    case 'up':
      return [IDLE, end(gesture, event, scene)];
  }
}

/** What takes back a drag that is given up. */
function taken(gesture: Gesture): Effect[] {
  if (gesture.kind === 'idle' || !gesture.moved) return [];
  switch (gesture.kind) {
    case 'line':
    case 'curve':
      return [{ kind: 'forget' }];
    case 'hit':
      return [{ kind: 'hitBack' }];
    case 'box':
      return [{ kind: 'box', box: null }];
    case 'gap':
      return [{ kind: 'gapBack' }];
    case 'loop':
      return [{ kind: 'loop', loop: gesture.before, looping: gesture.looping }];
  }
}

function begin(at: Pointed, free: boolean, scene: Scene): Step {
  if (at.gap) return [{ kind: 'gap', from: at, hold: at.gap, moved: false }, []];
  const { decisions } = scene;
  const standsS = at.row === null ? undefined : decisions?.time_s[at.row];
  if (scene.drawing && at.inField && decisions) return bend(at, free, scene);
  if (at.onLine) return [{ kind: 'line', from: at, on: standsS ?? null, moved: false }, []];
  if (at.row !== null && decisions && standsS !== undefined) {
    const select: Effect[] = scene.chosenS.includes(standsS) ? [] : [{ kind: 'select', timeS: standsS }];
    if (!counts(decisions.state[at.row]!)) return [IDLE, [{ kind: 'select', timeS: standsS }]];
    const hit = { foundS: decisions.found_s[at.row]!, standsS };
    return [{ kind: 'hit', from: at, hit, moved: false }, select];
  }
  if (at.inField) return [{ kind: 'box', from: at, moved: false }, []];
  return [{ kind: 'loop', from: at, moved: false, before: scene.loop, looping: scene.looping }, []];
}

/** While the line is bent: a click sets a point, with Alt it takes one away, and points are dragged. */
function bend(at: Pointed, away: boolean, scene: Scene): Step {
  const { curve } = scene;
  if (at.curvePoint !== null && away)
    return [
      IDLE,
      [{ kind: 'curve', points: curve.filter((_, index) => index !== at.curvePoint), ended: true }],
    ];
  if (at.curvePoint !== null) return [{ kind: 'curve', from: at, point: at.curvePoint, moved: false }, []];
  const points = [...curve, pointOf(at, scene)].sort((a, b) => a.time_s - b.time_s);
  return [IDLE, [{ kind: 'curve', points, ended: true }]];
}

function move(gesture: Exclude<Gesture, { kind: 'idle' }>, { at, free }: StageEvent, scene: Scene): Step {
  const { boxes, view } = scene;
  const fromX = timeToX(gesture.from.timeS, view, boxes.field.left, boxes.field.width);
  const far = gesture.moved || Math.hypot(at.x - fromX, at.y - gesture.from.y) >= TAP_PX;
  switch (gesture.kind) {
    case 'line':
      if (!gesture.moved && at.y === gesture.from.y) return [gesture, []];
      return [
        { ...gesture, moved: true },
        [{ kind: 'threshold', levelDb: dragged(gesture, at, scene), ended: false }],
      ];
    case 'curve':
      return [
        { ...gesture, moved: true },
        [{ kind: 'curve', points: bent(gesture.point, at, scene), ended: false }],
      ];
    case 'hit':
      if (!gesture.moved && Math.abs(at.x - fromX) < TAP_PX) return [gesture, []];
      return [
        { ...gesture, moved: true },
        [{ kind: 'hit', hit: gesture.hit, toS: putS(gesture, at, scene), free, ended: false }],
      ];
    case 'gap':
      if (!far) return [gesture, []];
      return [{ ...gesture, moved: true }, [{ kind: 'gap', put: gapPut(gesture, at, scene), ended: false }]];
    case 'box':
      if (!far) return [gesture, []];
      return [
        { ...gesture, moved: true },
        [
          {
            kind: 'box',
            box: {
              left: Math.min(fromX, at.x),
              top: Math.min(gesture.from.y, at.y),
              width: Math.abs(at.x - fromX),
              height: Math.abs(at.y - gesture.from.y),
            },
          },
        ],
      ];
    case 'loop': {
      if (!gesture.moved && Math.abs(at.x - fromX) < TAP_PX) return [gesture, []];
      const lines = { view, width: boxes.wave.width, tempo: scene.tempo ?? null };
      const loop = rangeOf(gesture.from.timeS, at.timeS, lines, free);
      return [{ ...gesture, moved: true }, [{ kind: 'loop', loop, looping: true }]];
    }
  }
}

function end(gesture: Gesture, { at, free }: { at: Pointed; free: boolean }, scene: Scene): Effect[] {
  if (gesture.kind === 'idle') return [];
  if (!gesture.moved) {
    if (gesture.kind === 'curve') return [];
    if (gesture.kind === 'hit') return [{ kind: 'select', timeS: gesture.hit.standsS }];
    // A tap on the line means the candidate that lies on it, where one does.
    if (gesture.kind === 'line' && gesture.on !== null) return [{ kind: 'select', timeS: gesture.on }];
    return [{ kind: 'go', timeS: gesture.from.timeS }];
  }
  switch (gesture.kind) {
    case 'line':
      return [{ kind: 'threshold', levelDb: dragged(gesture, at, scene), ended: true }];
    case 'curve':
      return [{ kind: 'curve', points: bent(gesture.point, at, scene), ended: true }];
    case 'hit':
      return [{ kind: 'hit', hit: gesture.hit, toS: putS(gesture, at, scene), free, ended: true }];
    case 'gap':
      return [{ kind: 'gap', put: gapPut(gesture, at, scene), ended: true }];
    case 'box':
      return [
        { kind: 'box', box: null },
        { kind: 'choose', timesS: inside(gesture.from, at, scene) },
      ];
    case 'loop':
      return [];
  }
}

const tenth = (value: number) => Math.round(value * 10) / 10;

const levelAt = (y: number, { boxes }: Scene) => yToLevel(y, boxes.field.top, boxes.field.height);

/** The threshold that lets its curve run through the pointer, at the moment where it was taken hold of. */
function dragged(gesture: { from: Pointed }, at: Pointed, scene: Scene): number {
  const { threshold_db, line } = scene.decisions!;
  const level = levelAt(at.y, scene) - (lineLevelAt(line, gesture.from.timeS) - threshold_db);
  return tenth(Math.min(Math.max(level, BOTTOM_DB), TOP_DB));
}

function pointOf(at: Pointed, scene: Scene): CurvePoint {
  return { time_s: at.timeS, offset_db: tenth(levelAt(at.y, scene) - scene.decisions!.threshold_db) };
}

/** The curve with one point where the pointer is; it does not pass its neighbours. */
function bent(point: number, at: Pointed, scene: Scene): CurvePoint[] {
  const { curve, lengthS } = scene;
  const moved = pointOf(at, scene);
  const early = curve[point - 1]?.time_s ?? 0;
  const late = curve[point + 1]?.time_s ?? lengthS;
  moved.time_s = Math.min(Math.max(moved.time_s, early), late);
  return curve.map((one, index) => (index === point ? moved : one));
}

/** Where a dragged hit goes: as far as the pointer went, wherever on its head it was taken. */
function putS(gesture: { from: Pointed; hit: Hit }, at: Pointed, scene: Scene): number {
  return Math.min(Math.max(gesture.hit.standsS + at.timeS - gesture.from.timeS, 0), scene.lengthS);
}

/** Where a corner of a gap goes: as far as the pointer went, and not past the gap's other end. */
function gapPut({ from, hold }: { from: Pointed; hold: GapHold }, at: Pointed, scene: Scene): GapPut {
  const told = outlineOf(scene.gaps!, hold.gap, scene.lengthS);
  const stood = hold.edge === 'opens' ? told.opensS : told.closesS;
  const early = hold.edge === 'opens' ? told.downS : 0;
  const late = hold.edge === 'closes' ? told.risesS : scene.lengthS;
  const timeS = Math.min(Math.max(stood + at.timeS - from.timeS, early), late);
  return { ...hold, timeS, downDb: yToDown(at.y, scene.boxes.wave) };
}

/** The moments of the candidates in a box. */
function inside(from: Pointed, to: Pointed, scene: Scene): number[] {
  const { decisions } = scene;
  if (!decisions) return [];
  const [early, late] = [Math.min(from.timeS, to.timeS), Math.max(from.timeS, to.timeS)];
  const [top, bottom] = [levelAt(Math.min(from.y, to.y), scene), levelAt(Math.max(from.y, to.y), scene)];
  return decisions.time_s.filter((timeS, row) => {
    const level = Math.max(decisions.level_db[row]!, BOTTOM_DB);
    return timeS >= early && timeS <= late && level <= top && level >= bottom - 0.01;
  });
}
