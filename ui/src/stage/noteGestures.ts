import type { Schema } from '../api/client';
import type { View } from '../state/view';
import { firstAt, timeToX, xToTime } from './axes';
import type { BoxPx } from './gestures';
import type { Box } from './ground';
import { rangeOf } from './snap';

const LOUDEST = 127;
const REACH_PX = 12;
const TAP_PX = 4;
const ABOVE_PX = 8;
/** Points of a drawn line lie no closer than this share of what is in view. */
const FINEST_SHARE = 1 / 400;

/** How far up the line over the velocities goes, in percent. */
export const MOST_PERCENT = 200;

export type LinePoint = Schema['LinePoint'];

/** The notes of a part at their velocities, as they lie on screen. */
export interface NoteScene {
  field: Box;
  view: View;
  lengthS: number;
  /** Where notes stand, what names each (when it was struck), and how hard; in order of time. */
  notes: { timeS: readonly number[]; placeS: readonly number[]; velocity: readonly number[] } | null;
  /** Whether a line is being drawn over the notes. */
  drawing: boolean;
  loop: { startS: number; endS: number } | null;
  looping: boolean;
  chosenS: readonly number[];
  /** The grid that ranges lie on; empty where none is shown. */
  tempo?: Schema['Tempo'] | null;
}

/** What lies under the pointer: the note by what names it. */
export interface NotePointed {
  x: number;
  y: number;
  timeS: number;
  inField: boolean;
  placeS: number | null;
}

export type NoteGesture =
  | { kind: 'idle' }
  | { kind: 'line'; from: NotePointed; moved: boolean; points: LinePoint[] }
  | { kind: 'note'; from: NotePointed; moved: boolean; placesS: number[] }
  | { kind: 'box'; from: NotePointed; moved: boolean }
  | { kind: 'loop'; from: NotePointed; moved: boolean; before: NoteScene['loop']; looping: boolean };

/**
 * What the pointer does, and what lies under it; `straight`: a line is drawn as one stroke; `free`: nothing
 * snaps.
 */
export interface NoteEvent {
  kind: 'down' | 'move' | 'up' | 'cancel' | 'leave';
  at: NotePointed;
  straight: boolean;
  free?: boolean;
}

/** What follows from a gesture; the component does it. `ended`: let go, so that it is kept. */
export type NoteEffect =
  | { kind: 'select'; placeS: number }
  | { kind: 'go'; timeS: number }
  | { kind: 'line'; points: LinePoint[]; ended: boolean }
  | { kind: 'velocity'; placesS: number[]; by: number; ended: boolean }
  | { kind: 'box'; box: BoxPx | null }
  | { kind: 'choose'; placesS: number[] }
  | { kind: 'loop'; loop: NoteScene['loop']; looping: boolean };

type Step = [NoteGesture, NoteEffect[]];

export const STILL: NoteGesture = { kind: 'idle' };

/** What lies at a place of the field, in pixels from the corner of the stage. */
export function notePointAt({ field, view, lengthS, notes }: NoteScene, x: number, y: number): NotePointed {
  const timeS = Math.min(Math.max(xToTime(x, view, field.left, field.width), 0), lengthS);
  const inField = y > field.top - ABOVE_PX;
  let placeS: number | null = null;
  if (notes && inField) {
    let nearest = REACH_PX;
    const reach = (REACH_PX / field.width) * view.spanS;
    for (let i = firstAt(notes.timeS, timeS - reach); (notes.timeS[i] ?? Infinity) < timeS + reach; i++) {
      const away = Math.hypot(
        timeToX(notes.timeS[i]!, view, field.left, field.width) - x,
        field.top + field.height * (1 - notes.velocity[i]! / LOUDEST) - y,
      );
      if (away < nearest) [nearest, placeS] = [away, notes.placeS[i]!];
    }
  }
  return { x, y, timeS, inField, placeS };
}

/** One step of what the pointer does over the notes: the next state, and what follows from it. */
export function stepNotes(gesture: NoteGesture, event: NoteEvent, scene: NoteScene): Step {
  switch (event.kind) {
    case 'cancel':
      return [STILL, taken(gesture)];
    case 'leave':
      return [gesture, []];
    case 'down':
      return begin(event.at, scene);
    case 'move':
      return move(gesture, event, scene);
    case 'up':
      return [STILL, end(gesture, event.at, scene)];
  }
}

/** What takes back a drag that is given up. */
function taken(gesture: NoteGesture): NoteEffect[] {
  switch (gesture.kind) {
    case 'idle':
      return [];
    case 'line':
      return [{ kind: 'line', points: [], ended: false }];
    case 'note':
      return [{ kind: 'velocity', placesS: gesture.placesS, by: 0, ended: false }];
    case 'box':
      return [{ kind: 'box', box: null }];
    case 'loop':
      return gesture.moved ? [{ kind: 'loop', loop: gesture.before, looping: gesture.looping }] : [];
  }
}

function begin(at: NotePointed, scene: NoteScene): Step {
  if (scene.drawing && at.inField) {
    const points = [linePoint(at, scene)];
    return [{ kind: 'line', from: at, moved: false, points }, [{ kind: 'line', points, ended: false }]];
  }
  if (at.placeS !== null && scene.notes) {
    const { placeS } = at;
    // One of several that are chosen takes the others along.
    const chosen = new Set(scene.chosenS);
    const together = chosen.has(placeS) ? scene.notes.placeS.filter((one) => chosen.has(one)) : [placeS];
    const gesture: NoteGesture = { kind: 'note', from: at, moved: false, placesS: together };
    return [gesture, together.length === 1 ? [{ kind: 'select', placeS }] : []];
  }
  if (at.inField) return [{ kind: 'box', from: at, moved: false }, []];
  return [{ kind: 'loop', from: at, moved: false, before: scene.loop, looping: scene.looping }, []];
}

function move(gesture: NoteGesture, { at, straight, free = false }: NoteEvent, scene: NoteScene): Step {
  if (gesture.kind === 'idle') return [gesture, []];
  const { field, view } = scene;
  const fromX = timeToX(gesture.from.timeS, view, field.left, field.width);
  if (!gesture.moved && Math.hypot(at.x - fromX, at.y - gesture.from.y) < TAP_PX) return [gesture, []];
  const moved = true;
  switch (gesture.kind) {
    case 'line': {
      const through = linePoint(at, scene);
      const points = straight
        ? inOrder([linePoint(gesture.from, scene), through])
        : lineThrough(gesture.points, through, view.spanS * FINEST_SHARE);
      return [{ ...gesture, moved, points }, [{ kind: 'line', points, ended: false }]];
    }
    case 'note': {
      const by = velocitySteps(gesture.from, at, field);
      return [{ ...gesture, moved }, [{ kind: 'velocity', placesS: gesture.placesS, by, ended: false }]];
    }
    case 'box': {
      const [left, top] = [Math.min(fromX, at.x), Math.min(gesture.from.y, at.y)];
      const box = { left, top, width: Math.abs(at.x - fromX), height: Math.abs(at.y - gesture.from.y) };
      return [{ ...gesture, moved }, [{ kind: 'box', box }]];
    }
    case 'loop': {
      const lines = { view, width: field.width, tempo: scene.tempo ?? null };
      const loop = rangeOf(gesture.from.timeS, at.timeS, lines, free);
      return [{ ...gesture, moved }, [{ kind: 'loop', loop, looping: true }]];
    }
  }
}

function end(gesture: NoteGesture, at: NotePointed, scene: NoteScene): NoteEffect[] {
  switch (gesture.kind) {
    case 'idle':
      return [];
    case 'line':
      return [{ kind: 'line', points: gesture.points, ended: true }];
    case 'note': {
      const by = gesture.moved ? velocitySteps(gesture.from, at, scene.field) : 0;
      return [{ kind: 'velocity', placesS: gesture.placesS, by, ended: true }];
    }
    case 'box':
      if (!gesture.moved) return [{ kind: 'go', timeS: gesture.from.timeS }];
      return [
        { kind: 'box', box: null },
        { kind: 'choose', placesS: inside(gesture.from, at, scene) },
      ];
    case 'loop':
      return gesture.moved ? [] : [{ kind: 'go', timeS: gesture.from.timeS }];
  }
}

/** How many steps of velocity a hand went up. */
const velocitySteps = (from: NotePointed, at: NotePointed, field: Box): number =>
  Math.round(((from.y - at.y) / field.height) * LOUDEST);

function linePoint(at: NotePointed, { field }: NoteScene): LinePoint {
  const percent = (1 - (at.y - field.top) / field.height) * MOST_PERCENT;
  return { time_s: at.timeS, percent: Math.round(Math.min(Math.max(percent, 0), MOST_PERCENT)) };
}

const inOrder = (points: LinePoint[]): LinePoint[] => points.sort((a, b) => a.time_s - b.time_s);

/** The line through one more point; what is drawn over again is as drawn last. */
function lineThrough(points: LinePoint[], point: LinePoint, finestS: number): LinePoint[] {
  return inOrder([...points.filter((one) => Math.abs(one.time_s - point.time_s) > finestS), point]);
}

/** The notes in a box, by what names them. */
function inside(from: NotePointed, to: NotePointed, { notes, field }: NoteScene): number[] {
  if (!notes) return [];
  const [early, late] = [Math.min(from.timeS, to.timeS), Math.max(from.timeS, to.timeS)];
  const velocityAt = (y: number) => (1 - (y - field.top) / field.height) * LOUDEST;
  const [high, low] = [velocityAt(Math.min(from.y, to.y)), velocityAt(Math.max(from.y, to.y))];
  return notes.placeS.filter((_, i) => {
    const [timeS, velocity] = [notes.timeS[i]!, notes.velocity[i]!];
    return timeS >= early && timeS <= late && velocity <= high && velocity >= Math.min(low, LOUDEST - 1);
  });
}
