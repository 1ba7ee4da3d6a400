import type { Schema } from '../api/client';
import type { View } from '../state/view';
import { timeToX } from './axes';
import type { Box } from './ground';
import type { Inks } from './heads';

export type Gaps = Schema['GapColumns'];

const EDGE_PX = 6;
const FLOOR_PX = 5;
const HANDLE_PX = 7;
const WORDS_PX = 90;
export const SILENCE_DB = 60;

/** What of a gap is taken hold of: where it begins to go down, where it is open again, or how deep it is. */
export type GapEdge = 'closes' | 'opens' | 'down';

/** One gap by its number: gap 0 lies before the first opening, gap n behind the n-th. */
export interface GapHold {
  gap: number;
  edge: GapEdge;
}

/** Where a gap is put by hand while it is dragged. */
export interface GapPut extends GapHold {
  timeS: number;
  downDb: number;
}

interface Outline {
  closesS: number;
  downS: number;
  risesS: number;
  opensS: number;
  downDb: number;
}

/** The corners of a gap; before the first opening and behind the last it reaches to the ends. */
export function outlineOf(gaps: Gaps, gap: number, lengthS: number): Outline {
  return {
    closesS: gap ? gaps.closes_s[gap - 1]! : 0,
    downS: gap ? gaps.down_s[gap - 1]! : 0,
    risesS: gaps.rises_s[gap] ?? lengthS,
    opensS: gaps.opens_s[gap] ?? lengthS,
    downDb: gaps.down_db[gap]!,
  };
}

/** The same while a hand moves one of its corners. */
function put(outline: Outline, { edge, timeS, downDb }: GapPut): Outline {
  const moved = { ...outline };
  if (edge === 'down') moved.downDb = downDb;
  if (edge === 'closes') {
    moved.downS += timeS - moved.closesS;
    moved.closesS = timeS;
  }
  if (edge === 'opens') {
    moved.risesS += timeS - moved.opensS;
    moved.opensS = timeS;
  }
  return moved;
}

export const downToY = (downDb: number, box: Box): number =>
  box.top + 1 + (Math.min(downDb, SILENCE_DB) / SILENCE_DB) * (box.height - 2);

export const yToDown = (y: number, box: Box): number =>
  Math.round(Math.min(Math.max(((y - box.top - 1) / (box.height - 2)) * SILENCE_DB, 0), SILENCE_DB));

/** Which gaps lie in a view, by their first and last number. */
function inView(gaps: Gaps, view: View): [number, number] {
  let first = gaps.opens_s.findIndex((opensS) => opensS > view.startS);
  if (first < 0) first = gaps.opens_s.length;
  let last = first;
  while (last < gaps.opens_s.length && gaps.closes_s[last]! < view.startS + view.spanS) last++;
  return [first, last];
}

/** What of the gaps' line lies at a place of the waveform. */
export function gapAt(
  gaps: Gaps,
  view: View,
  box: Box,
  x: number,
  y: number,
  lengthS: number,
): GapHold | null {
  if (y < box.top - 4 || y > box.top + box.height + 4) return null;
  const xOf = (timeS: number) => timeToX(timeS, view, box.left, box.width);
  const [first, last] = inView(gaps, view);
  for (let gap = first; gap <= last; gap++) {
    const { closesS, downS, risesS, opensS, downDb } = outlineOf(gaps, gap, lengthS);
    if (gap && x > xOf(closesS) - EDGE_PX && x < Math.max(xOf(downS), xOf(closesS) + EDGE_PX))
      return { gap, edge: 'closes' };
    if (
      gap < gaps.opens_s.length &&
      x < xOf(opensS) + EDGE_PX &&
      x > Math.min(xOf(risesS), xOf(opensS)) - EDGE_PX
    )
      return { gap, edge: 'opens' };
    if (gap && x > xOf(downS) && x < xOf(risesS) && Math.abs(y - downToY(downDb, box)) < FLOOR_PX)
      return { gap, edge: 'down' };
  }
  return null;
}

/** Draw how far a source is turned down over its waveform: pale where it is, a line that says how far. */
export function drawGaps(
  context: CanvasRenderingContext2D,
  look: Inks,
  {
    gaps,
    view,
    box,
    lengthS,
    moving,
    held,
  }: {
    gaps: Gaps;
    view: View;
    box: Box;
    lengthS: number;
    /** The gap that a hand moves now. */
    moving: GapPut | null;
    /** Whether its corners can be taken hold of. */
    held: boolean;
  },
): void {
  const xOf = (timeS: number) => timeToX(timeS, view, box.left, box.width);
  const open = downToY(0, box);
  const [first, last] = inView(gaps, view);
  const byHand = Object.values(gaps.marks).map((one) => one.time_s);
  const set = (foundS: number | undefined) =>
    foundS !== undefined && byHand.some((timeS) => Math.abs(timeS - foundS) < 0.008);
  context.save();
  context.beginPath();
  context.rect(box.left, box.top - 5, box.width, box.height + 10);
  context.clip();
  const outlines: (Outline & { gap: number })[] = [];
  for (let gap = first; gap <= last; gap++) {
    const told = outlineOf(gaps, gap, lengthS);
    outlines.push({ gap, ...(moving?.gap === gap ? put(told, moving) : told) });
  }
  context.fillStyle = look.paper;
  context.globalAlpha = 0.72;
  for (const one of outlines)
    context.fillRect(xOf(one.closesS), box.top, xOf(one.opensS) - xOf(one.closesS), box.height);
  context.globalAlpha = 1;
  context.strokeStyle = look.ink;
  context.lineWidth = held ? 1.6 : 1;
  context.beginPath();
  context.moveTo(box.left, first ? open : downToY(outlines[0]?.downDb ?? 0, box));
  for (const one of outlines) {
    const floor = downToY(one.downDb, box);
    if (one.gap) {
      context.lineTo(xOf(one.closesS), open);
      context.lineTo(xOf(one.downS), floor);
    }
    context.lineTo(xOf(one.risesS), floor);
    context.lineTo(xOf(one.opensS), open);
  }
  if (outlines.at(-1)?.gap !== gaps.opens_s.length) context.lineTo(box.left + box.width, open);
  context.stroke();
  sayHowFar();
  if (held) drawHandles();
  context.restore();

  /** Every gap that has room says how far it goes down. */
  function sayHowFar() {
    context.fillStyle = look.quiet;
    context.textAlign = 'left';
    for (const one of outlines) {
      const from = Math.max(xOf(one.downS), box.left) + 6;
      const room = Math.min(xOf(one.risesS), box.left + box.width) - from;
      const floor = downToY(one.downDb, box);
      const said = one.downDb >= SILENCE_DB ? 'silent' : `−${Math.round(one.downDb)} dB`;
      if (room > WORDS_PX) context.fillText(said, from, floor + (floor > box.top + box.height - 14 ? -9 : 9));
    }
  }

  function drawHandles() {
    const half = HANDLE_PX / 2;
    context.lineWidth = 1.4;
    for (const one of outlines) {
      const corners: [number, boolean][] = [];
      if (one.gap) corners.push([xOf(one.closesS), set(gaps.last_found_s[one.gap - 1])]);
      if (one.gap < gaps.opens_s.length) corners.push([xOf(one.opensS), set(gaps.first_found_s[one.gap])]);
      for (const [x, hand] of corners) {
        context.fillStyle = hand ? look.ink : look.sheet;
        context.fillRect(x - half, open - half + 2, HANDLE_PX, HANDLE_PX);
        context.strokeRect(x - half, open - half + 2, HANDLE_PX, HANDLE_PX);
      }
    }
  }
}
