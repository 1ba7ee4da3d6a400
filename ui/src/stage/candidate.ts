import type { Decisions, Piece } from '../api/client';
import { headSize, noteHead } from './heads';
import { State, counts } from './states';

/** One candidate, its state by shape: see the legend under the field. */
export function drawCandidate(
  context: CanvasRenderingContext2D,
  decisions: Decisions,
  index: number,
  x: number,
  y: number,
  piece: Piece,
  colour: string,
  soft: string,
  ink: string,
): void {
  const state = decisions.state[index]!;
  const velocity = decisions.velocity[index]!;
  context.strokeStyle = context.fillStyle = counts(state) ? colour : soft;
  context.lineWidth = 1.1;
  context.beginPath();
  switch (state) {
    case State.Hit:
      return noteHead(context, piece.head, x, y, headSize(velocity, 3, 6.5));
    case State.Added:
    case State.Kept:
      noteHead(context, piece.head, x, y, headSize(velocity, 3, 6.5));
      return ring(context, x, y, ink);
    case State.Dropped:
      noteHead(context, piece.head, x, y, 4, false);
      ring(context, x, y, ink);
      context.moveTo(x - 7, y + 7);
      context.lineTo(x + 7, y - 7);
      return context.stroke();
    case State.Spill:
      context.moveTo(x, y - 4.5);
      context.lineTo(x + 4.5, y + 3.5);
      context.lineTo(x - 4.5, y + 3.5);
      context.closePath();
      return context.stroke();
    case State.SoftRise:
      context.moveTo(x - 4, y + 1.5);
      context.lineTo(x, y - 1.5);
      context.lineTo(x + 4, y + 1.5);
      return context.stroke();
    case State.HeldOff:
      context.moveTo(x - 2, y - 4);
      context.lineTo(x - 2, y + 4);
      context.moveTo(x + 2, y - 4);
      context.lineTo(x + 2, y + 4);
      return context.stroke();
    case State.Unlike:
      context.moveTo(x, y - 4);
      context.lineTo(x + 4, y);
      context.lineTo(x, y + 4);
      context.lineTo(x - 4, y);
      context.closePath();
      return context.stroke();
    case State.NotArmed:
      context.moveTo(x - 4, y - 2);
      context.lineTo(x + 4, y - 2);
      context.moveTo(x - 4, y + 2);
      context.lineTo(x + 4, y + 2);
      return context.stroke();
    case State.Outside:
      context.globalAlpha = 0.4;
      context.arc(x, y, 1.4, 0, 2 * Math.PI);
      context.stroke();
      context.globalAlpha = 1;
      return;
    default:
      context.arc(x, y, 1.9, 0, 2 * Math.PI);
      context.stroke();
  }
}

function ring(context: CanvasRenderingContext2D, x: number, y: number, ink: string): void {
  context.strokeStyle = ink;
  context.lineWidth = 1.5;
  context.beginPath();
  context.arc(x, y, 10.5, 0, 2 * Math.PI);
  context.stroke();
  context.beginPath();
}
