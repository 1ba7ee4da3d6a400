import type { Decisions, Piece, Suspect } from '../api/client';
import type { View } from '../state/view';
import { BOTTOM_DB, decibels, firstAt, levelToY, timeToX, TOP_DB } from './axes';
import { headSize, noteHead, type Inks } from './heads';
import { counts, rowAt } from './states';
import { drawCandidate } from './candidate';
import { lineLevelAt, type CurvePoint } from './curve';
import { drawLadder } from './ladder';
import type { Boxes } from './layout';

const AT_S = 0.0005;

/** What the hit field shows. */
export interface Field {
  boxes: Boxes;
  view: View;
  look: Inks;
  piece: Piece;
  decisions: Decisions | null;
  curve: readonly CurvePoint[];
  drawing: boolean;
  /** Whether a hand alone decides, and no threshold. */
  byHandOnly: boolean;
  span: { start_s: number; end_s: number } | null;
  selectedS: number | null;
  chosenS: readonly number[];
  suspect: Suspect | null;
  gapDb: number;
  /** A hit on its way to another moment. */
  moving: { standsS: number; toS: number } | null;
}

type Context = CanvasRenderingContext2D;

/** Draw the hit field: levels, candidates, the threshold, the ladder. */
export function drawField(context: Context, field: Field): void {
  const { boxes, decisions } = field;
  const xOf = (timeS: number) => timeToX(timeS, field.view, boxes.field.left, boxes.field.width);
  const yOf = (levelDb: number) => levelToY(levelDb, boxes.field.top, boxes.field.height);
  const threshold = decisions?.threshold_db ?? BOTTOM_DB;
  const lineAt = (timeS: number) =>
    yOf(field.byHandOnly ? BOTTOM_DB : decisions ? lineLevelAt(decisions.line, timeS) : threshold);
  const corners = cornersOf(field);
  drawGround(context, field, corners, xOf, yOf, lineAt);
  if (!decisions) return;
  drawCandidates(context, field, decisions, xOf, yOf);
  drawChosen(context, field, decisions, xOf, yOf);
  if (field.suspect) drawSuspect(context, field, field.suspect, xOf(field.suspect.time_s));
  if (!field.byHandOnly) drawThreshold(context, field, threshold, corners, xOf, yOf, lineAt);
  if (boxes.ladder)
    drawLadder(
      context,
      decisions,
      boxes.ladder.left,
      boxes.ladder.width,
      yOf,
      field.look.piece(field.piece.ink),
      field.look.rule,
      field.look.quiet,
      field.gapDb,
    );
}

type Across = (value: number) => number;

/** The moments in view where the threshold changes its direction. */
function cornersOf({ view, decisions }: Field): number[] {
  const end = view.startS + view.spanS;
  const corners = decisions?.line.map((corner) => corner.time_s) ?? [];
  return [view.startS, ...corners.filter((timeS) => timeS > view.startS && timeS < end), end];
}

function drawGround(
  context: Context,
  one: Field,
  corners: number[],
  xOf: Across,
  yOf: Across,
  lineAt: Across,
): void {
  const { look, view, span } = one;
  const { field, wave } = one.boxes;
  context.fillStyle = look.shade;
  context.beginPath();
  context.moveTo(field.left, field.top + field.height);
  for (const timeS of corners) context.lineTo(xOf(timeS), lineAt(timeS));
  context.lineTo(field.left + field.width, field.top + field.height);
  context.fill();
  if (span) {
    for (const [from, to] of [
      [view.startS, span.start_s],
      [span.end_s, view.startS + view.spanS],
    ] as const) {
      const left = Math.max(xOf(from), field.left);
      const right = Math.min(xOf(to), field.left + field.width);
      if (right > left) context.fillRect(left, wave.top, right - left, field.top + field.height - wave.top);
    }
  }
  context.textAlign = 'right';
  for (let level = TOP_DB; level > BOTTOM_DB; level -= 12) {
    context.fillStyle = look.faint;
    context.fillRect(field.left, yOf(level), field.width, 1);
    context.fillStyle = look.quiet;
    context.fillText(decibels(level, 0), field.left - 8, yOf(level));
  }
  context.textAlign = 'left';
}

function drawCandidates(context: Context, one: Field, decisions: Decisions, xOf: Across, yOf: Across): void {
  const { look, piece, view } = one;
  const { field } = one.boxes;
  const colour = look.piece(piece.ink);
  const foot = field.top + field.height;
  context.save();
  context.beginPath();
  context.rect(field.left - 12, field.top - 12, field.width + 18, field.height + 24);
  context.clip();
  // Heads reach over the edges; what lies beyond them would stand among the numbers of the axis.
  const margin = view.spanS / field.width;
  const first = firstAt(decisions.time_s, view.startS - margin);
  const last = firstAt(decisions.time_s, view.startS + view.spanS + margin);
  context.globalAlpha = 0.45;
  for (let i = first; i < last; i++) {
    if (!counts(decisions.state[i]!)) continue;
    const top = yOf(decisions.level_db[i]!);
    context.fillStyle = colour;
    context.fillRect(xOf(decisions.time_s[i]!) - 0.5, top, 1.2, foot - top);
  }
  context.globalAlpha = 1;
  for (let i = first; i < last; i++) {
    const x = xOf(decisions.time_s[i]!);
    drawCandidate(context, decisions, i, x, yOf(decisions.level_db[i]!), piece, colour, look.soft, look.ink);
  }
  context.strokeStyle = look.ink;
  context.lineWidth = 1.1;
  context.setLineDash([2.5, 2.5]);
  for (let i = first; i < last; i++) {
    if (decisions.doubt[i]! < decisions.worth_a_look) continue;
    context.beginPath();
    context.arc(xOf(decisions.time_s[i]!), yOf(decisions.level_db[i]!), 10.5, 0, 2 * Math.PI);
    context.stroke();
  }
  context.setLineDash([]);
  context.restore();
}

function drawChosen(context: Context, one: Field, decisions: Decisions, xOf: Across, yOf: Across): void {
  const { look, view, selectedS, moving, piece } = one;
  const { wave, field } = one.boxes;
  context.strokeStyle = context.fillStyle = look.ink;
  const selected = selectedS === null ? -1 : rowAt(decisions, selectedS, AT_S);
  if (selected >= 0 && !moving) {
    const x = xOf(decisions.time_s[selected]!);
    context.fillRect(x - 0.75, wave.top, 1.5, wave.height);
    context.lineWidth = 1.6;
    context.strokeRect(x - 12, yOf(decisions.level_db[selected]!) - 12, 24, 24);
  }
  context.lineWidth = 1.3;
  for (const timeS of one.chosenS) {
    const row = rowAt(decisions, timeS, AT_S);
    if (row < 0 || timeS < view.startS || timeS > view.startS + view.spanS) continue;
    context.strokeRect(xOf(decisions.time_s[row]!) - 9, yOf(decisions.level_db[row]!) - 9, 18, 18);
  }
  const taken = moving ? rowAt(decisions, moving.standsS, AT_S) : -1;
  if (moving && taken >= 0) {
    const x = xOf(moving.toS);
    context.fillRect(x - 0.75, wave.top, 1.5, field.top + field.height - wave.top);
    context.fillStyle = context.strokeStyle = look.piece(piece.ink);
    noteHead(
      context,
      piece.head,
      x,
      yOf(decisions.level_db[taken]!),
      headSize(decisions.velocity[taken]!, 3, 6.5),
    );
  }
}

/** The stroke whose spill a place may be: when it was struck. */
function drawSuspect(context: Context, { look, boxes }: Field, suspect: Suspect, x: number): void {
  context.strokeStyle = context.fillStyle = look.soft;
  context.lineWidth = 1.2;
  context.setLineDash([3, 3]);
  context.beginPath();
  context.moveTo(x, boxes.wave.top);
  context.lineTo(x, boxes.field.top + boxes.field.height);
  context.stroke();
  context.setLineDash([]);
  context.fillText(`${suspect.name.toLowerCase()} struck`, x + 5, boxes.wave.top + 7);
}

/** The threshold, the line to drag, with the points that bend it. */
function drawThreshold(
  context: Context,
  { look, boxes, view, curve, drawing }: Field,
  threshold: number,
  corners: number[],
  xOf: Across,
  yOf: Across,
  lineAt: Across,
): void {
  const { field, ladder } = boxes;
  context.strokeStyle = context.fillStyle = look.ink;
  context.lineWidth = 1.5;
  context.beginPath();
  corners.forEach((timeS, index) => context[index ? 'lineTo' : 'moveTo'](xOf(timeS), lineAt(timeS)));
  context.stroke();
  const right = field.left + field.width;
  if (ladder) context.fillRect(right, yOf(threshold) - 0.75, ladder.left + ladder.width + 12 - right, 1.5);
  for (const point of curve) {
    if (point.time_s < view.startS || point.time_s > view.startS + view.spanS) continue;
    context.fillRect(xOf(point.time_s) - 4, yOf(threshold + point.offset_db) - 4, 8, 8);
  }
  const at = lineAt(view.startS);
  const label = drawing ? 'click to bend the line' : `threshold ${decibels(threshold)} dB`;
  context.font = '600 12px "Recursive Variable", monospace';
  const wide = context.measureText(label).width + 18;
  context.beginPath();
  context.roundRect(field.left + 6, at - 10.5, wide, 21, 10.5);
  context.fill();
  context.fillStyle = look.paper;
  context.fillText(label, field.left + 15, at + 0.5);
}
