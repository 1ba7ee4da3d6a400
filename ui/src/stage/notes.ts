import type { Decisions, Piece } from '../api/client';
import type { View } from '../state/view';
import { firstAt, timeToX } from './axes';
import type { Box } from './ground';
import { headSize, noteHead, type Inks } from './heads';

const LOUDEST = 127;

/** Draw the notes of a part by velocity. */
export function drawNotes(
  context: CanvasRenderingContext2D,
  look: Inks,
  field: Box,
  view: View,
  piece: Piece,
  decisions: Decisions | null,
): void {
  const foot = field.top + field.height;
  const yOf = (velocity: number) => field.top + field.height * (1 - velocity / LOUDEST);
  context.textAlign = 'right';
  for (const velocity of [32, 64, 96, LOUDEST]) {
    context.fillStyle = look.faint;
    context.fillRect(field.left, yOf(velocity), field.width, 1);
    context.fillStyle = look.quiet;
    context.fillText(String(velocity), field.left - 8, yOf(velocity));
  }
  context.textAlign = 'left';
  context.fillStyle = look.rule;
  context.fillRect(field.left, foot, field.width, 1);
  if (!decisions) return;
  const colour = look.piece(piece.ink);
  const to = firstAt(decisions.time_s, view.startS + view.spanS);
  for (let i = firstAt(decisions.time_s, view.startS); i < to; i++) {
    const velocity = decisions.velocity[i]!;
    if (!velocity) continue;
    const x = timeToX(decisions.time_s[i]!, view, field.left, field.width);
    context.fillStyle = context.strokeStyle = colour;
    context.globalAlpha = 0.55;
    context.fillRect(x - 0.75, yOf(velocity), 1.5, foot - yOf(velocity));
    context.globalAlpha = 1;
    noteHead(context, piece.head, x, yOf(velocity), headSize(velocity, 2.5, 6));
  }
}
