const TAP_PX = 5;
const SNAP_PX = 6;

/**
 * A lane of Gather: the clips of one source over the whole time line, and where those of others begin and
 * end.
 */
export interface LaneScene {
  width: number;
  lengthS: number;
  clips: readonly { start_s?: number; length_s: number }[];
  edgesS: readonly number[];
}

/** A clip being dragged along the time line. */
export interface ClipDrag {
  index: number;
  fromX: number;
  toS: number;
  moved: boolean;
}

export interface LaneEvent {
  kind: 'down' | 'move' | 'up' | 'cancel' | 'leave';
  x: number;
  free: boolean;
}

/** What follows: a clip shown elsewhere, put there, or shown where it was again. */
export type LaneEffect =
  | { kind: 'show'; index: number; startS: number }
  | { kind: 'put'; index: number; startS: number }
  | { kind: 'back' };

/**
 * One step of a clip's drag: what is dragged now, and what follows. It snaps to the ends of other clips
 * unless `free`.
 */
export function dragClip(
  drag: ClipDrag | null,
  event: LaneEvent,
  lane: LaneScene,
): [ClipDrag | null, LaneEffect[]] {
  if (event.kind === 'leave') return [drag, []];
  if (event.kind === 'cancel') return [null, drag?.moved ? [{ kind: 'back' }] : []];
  if (event.kind === 'down') {
    const index = clipAt(lane, event.x);
    if (index === null) return [null, []];
    return [{ index, fromX: event.x, toS: lane.clips[index]!.start_s ?? 0, moved: false }, []];
  }
  const clip = drag ? lane.clips[drag.index] : undefined;
  if (!drag || !clip) return [null, []];
  if (!drag.moved && Math.abs(event.x - drag.fromX) < TAP_PX) return [event.kind === 'up' ? null : drag, []];
  const beginsS = clip.start_s ?? 0;
  const wantedS = beginsS + ((event.x - drag.fromX) / lane.width) * lane.lengthS;
  const toS = event.free ? Math.max(wantedS, 0) : snapped(wantedS, clip.length_s, lane);
  if (event.kind === 'move')
    return [{ ...drag, toS, moved: true }, [{ kind: 'show', index: drag.index, startS: toS }]];
  return [null, [toS === beginsS ? { kind: 'back' } : { kind: 'put', index: drag.index, startS: toS }]];
}

/** The clip that lies at a place of the lane; the later one where two touch. */
export function clipAt({ clips, width, lengthS }: LaneScene, x: number): number | null {
  const atS = (x / width) * lengthS;
  const index = clips.findLastIndex(
    (clip) => atS >= (clip.start_s ?? 0) && atS <= (clip.start_s ?? 0) + clip.length_s,
  );
  return index < 0 ? null : index;
}

/**
 * Where a clip goes that is wanted at a moment: its begin or end on the nearest edge in reach, else on the
 * whole millisecond.
 */
function snapped(wantedS: number, clipLengthS: number, { width, lengthS, edgesS }: LaneScene): number {
  const reachS = (SNAP_PX / width) * lengthS;
  const starts = [0, ...edgesS, ...edgesS.map((edge) => edge - clipLengthS)].filter((start) => start >= 0);
  const near = starts.reduce((best, one) =>
    Math.abs(one - wantedS) < Math.abs(best - wantedS) ? one : best,
  );
  if (Math.abs(near - wantedS) <= reachS) return near;
  return Math.max(Math.round(wantedS * 1000) / 1000, 0);
}
