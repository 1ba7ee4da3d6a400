import type { Decisions, Schema } from '../api/client';
import type { View } from '../state/view';
import { firstAt, levelToY, timeToX, xToTime } from './axes';
import { lineLevelAt, type CurvePoint } from './curve';
import { gapAt, type GapHold, type Gaps } from './gaps';
import type { Boxes, Mode } from './layout';

const CANDIDATE_PX = 13;
const LINE_PX = 6;
/** So near the line, the line is meant, whatever candidate lies on it. */
const ON_LINE_PX = 4;
const POINT_PX = 9;

/** All that a stage shows and that can be taken hold of. */
export interface Scene {
  mode: Mode;
  boxes: Boxes;
  view: View;
  lengthS: number;
  decisions: Pick<Decisions, 'time_s' | 'found_s' | 'level_db' | 'state' | 'threshold_db' | 'line'> | null;
  curve: readonly CurvePoint[];
  /** Whether the threshold line is being bent. */
  drawing: boolean;
  /** Whether a hand alone decides, and no threshold. */
  byHandOnly: boolean;
  loop: { startS: number; endS: number } | null;
  looping: boolean;
  chosenS: readonly number[];
  /** The gaps of the recording, where they can be taken hold of. */
  gaps?: Gaps | null;
  /** The grid that ranges lie on; empty where none is shown. */
  tempo?: Schema['Tempo'] | null;
}

/** What lies under the pointer. */
export interface Pointed {
  x: number;
  y: number;
  timeS: number;
  inField: boolean;
  /** Whether the threshold line is meant. */
  onLine: boolean;
  /** The nearest candidate in reach, by its row. */
  row: number | null;
  /** The point of the threshold's curve in reach. */
  curvePoint: number | null;
  /** What of the gaps' line is in reach. */
  gap: GapHold | null;
}

/** What lies at a place of the stage, in pixels from its corner. */
export function pointAt(scene: Scene, x: number, y: number): Pointed {
  const { boxes, view, mode, decisions } = scene;
  const timeS = Math.min(Math.max(xToTime(x, view, boxes.wave.left, boxes.wave.width), 0), scene.lengthS);
  const inField = mode === 'find' && y > boxes.field.top;
  const nothing = { x, y, timeS, inField, onLine: false, row: null, curvePoint: null, gap: null };
  const gap = scene.gaps ? gapAt(scene.gaps, view, boxes.wave, x, y, scene.lengthS) : null;
  if (gap) return { ...nothing, gap };
  if (mode !== 'find' || !decisions) return nothing;
  const yOf = (levelDb: number) => levelToY(levelDb, boxes.field.top, boxes.field.height);
  const xOf = (momentS: number) => timeToX(momentS, view, boxes.field.left, boxes.field.width);
  const away = Math.abs(y - yOf(lineLevelAt(decisions.line, timeS)));
  let row: number | null = null;
  if (y > boxes.field.top - 8) {
    let nearest = CANDIDATE_PX;
    const reach = (CANDIDATE_PX / boxes.field.width) * view.spanS;
    const times = decisions.time_s;
    for (let i = firstAt(times, timeS - reach); i < times.length && times[i]! < timeS + reach; i++) {
      const distance = Math.hypot(xOf(times[i]!) - x, yOf(decisions.level_db[i]!) - y);
      if (distance < nearest) [nearest, row] = [distance, i];
    }
  }
  const near = scene.curve.findIndex(
    (one) =>
      Math.abs(xOf(one.time_s) - x) < POINT_PX &&
      Math.abs(yOf(decisions.threshold_db + one.offset_db) - y) < POINT_PX,
  );
  return {
    ...nothing,
    onLine: !scene.byHandOnly && x >= boxes.field.left && away < (row === null ? LINE_PX : ON_LINE_PX),
    row,
    curvePoint: near < 0 ? null : near,
  };
}
