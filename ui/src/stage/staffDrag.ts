import { fitView, type View } from '../state/view';
import { xToTime } from './axes';

/** What was in view when the staff was taken hold of. */
export interface StaffDrag {
  before: View;
}

export interface StaffEvent {
  kind: 'down' | 'move' | 'up' | 'cancel' | 'leave';
  x: number;
}

/**
 * The whole session on the staff: from which pixel on it runs and how wide it is, how long it lasts, what is
 * in view.
 */
export interface StaffScene {
  left: number;
  width: number;
  lengthS: number;
  view: View;
}

/**
 * One step of what the pointer does on the staff: what is in view goes along with it. Gives what is in view
 * then.
 */
export function dragStaff(
  drag: StaffDrag | null,
  { kind, x }: StaffEvent,
  { left, width, lengthS, view }: StaffScene,
): [StaffDrag | null, View | null] {
  if (kind === 'cancel') return [null, drag?.before ?? null];
  if (kind === 'up') return [null, null];
  if (kind === 'leave' || (kind === 'move' && !drag)) return [drag, null];
  const middleS = xToTime(x, { startS: 0, spanS: lengthS }, left, width);
  return [drag ?? { before: view }, fitView({ ...view, startS: middleS - view.spanS / 2 }, lengthS)];
}
