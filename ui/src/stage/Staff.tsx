import { useCallback, useMemo } from 'react';
import type { Document, Overview, Piece } from '../api/client';
import { useWindow } from '../state/window';
import { knownTempo, gridLines, timeToX } from './axes';
import { Canvas, type Draw } from './Canvas';
import { headSize, inks, noteHead } from './heads';
import { onLine } from './redraws';
import { dragStaff, type StaffDrag } from './staffDrag';
import { useGesture } from './useGesture';

const LEFT = 18;
const LINE_GAP = 10;
const TOP_LINE = 32;

interface Props {
  document: Document;
  overview: Overview | undefined;
  pieces: Map<string, Piece>;
}

/** The whole session as a percussion staff: overview, navigator, and the thing to click. */
export function Staff({ document, overview, pieces }: Props) {
  const night = useWindow((state) => state.night);
  const view = useWindow((state) => state.view);
  const partId = useWindow((state) => state.partId);
  const grid = useWindow((state) => state.grid);
  const loop = useWindow((state) => state.loop);
  const draft = useWindow((state) => state.draft);
  const lengthS = overview?.length_s || 1;
  const whole = useMemo(() => ({ startS: 0, spanS: lengthS }), [lengthS]);

  const drawNotes = useCallback<Draw>(
    (context, width) => {
      const look = inks(night);
      const box = width - 2 * LEFT;
      context.font = '11px "Recursive Variable", monospace';
      const pxPerS = box / lengthS;
      const tempo = grid ? knownTempo(document) : null;
      for (const line of tempo ? gridLines(tempo, 0, lengthS, 34 / pxPerS) : []) {
        if (line.kind !== 'bar') continue;
        const x = timeToX(line.timeS, whole, LEFT, box);
        context.fillStyle = look.faint;
        context.fillRect(x, TOP_LINE, 1, 4 * LINE_GAP);
        context.fillStyle = look.quiet;
        context.fillText(String(line.bar), x + 2, 12);
      }
      context.fillStyle = look.rule;
      for (let line = 0; line < 5; line++) context.fillRect(LEFT, TOP_LINE + line * LINE_GAP, box, 1);
      if (!overview) return;
      for (const part of [...overview.parts].sort(
        (a, b) => Number(a.part_id === partId) - Number(b.part_id === partId),
      )) {
        const settings = document.parts?.[part.part_id];
        const piece = settings && pieces.get(settings.piece);
        if (!piece) continue;
        const y = TOP_LINE + (4 - piece.staff) * LINE_GAP;
        const colour = look.piece(piece.ink);
        context.fillStyle = colour;
        context.strokeStyle = colour;
        for (let i = 0; i < part.time_s.length; i++) {
          const velocity = part.velocity[i]!;
          context.globalAlpha = 0.35 + 0.65 * (velocity / 127);
          noteHead(
            context,
            piece.head,
            timeToX(part.time_s[i]!, whole, LEFT, box),
            y,
            headSize(velocity, 1.2, 4.2),
          );
        }
        context.globalAlpha = 1;
      }
      if (document.span) {
        const from = timeToX(document.span.start_s, whole, LEFT, box);
        const to = timeToX(document.span.end_s, whole, LEFT, box);
        context.fillStyle = look.shade;
        context.fillRect(LEFT, 17, Math.max(from - LEFT, 0), 80);
        context.fillRect(to, 17, Math.max(LEFT + box - to, 0), 80);
      }
      if (loop) {
        const from = timeToX(loop.startS, whole, LEFT, box);
        context.fillStyle = look.ink;
        context.fillRect(from, 92, Math.max(timeToX(loop.endS, whole, LEFT, box) - from, 2), 3);
      }
    },
    [night, document, overview, pieces, whole, lengthS, partId, grid, loop],
  );

  // On a canvas of its own: thousands of heads need not be drawn again while a threshold moves.
  const drawMoved = useCallback<Draw>(
    (context, width) => {
      const look = inks(night);
      const box = width - 2 * LEFT;
      // What a moved setting would lose stands struck through, what it would let in stands under an arrow.
      const moved = draft?.decisions && document.parts?.[draft.partId];
      const movedPiece = moved && pieces.get(moved.piece);
      if (moved && movedPiece && draft.decisions) {
        const y = TOP_LINE + (4 - movedPiece.staff) * LINE_GAP;
        context.strokeStyle = context.fillStyle = look.ink;
        context.lineWidth = 1.4;
        for (const timeS of draft.decisions.lost_s) {
          const x = timeToX(timeS, whole, LEFT, box);
          context.beginPath();
          context.moveTo(x - 5, y + 6);
          context.lineTo(x + 5, y - 6);
          context.stroke();
        }
        for (const timeS of draft.decisions.let_in_s) {
          const x = timeToX(timeS, whole, LEFT, box);
          context.beginPath();
          context.moveTo(x, y - 3);
          context.lineTo(x - 3.5, y - 9);
          context.lineTo(x + 3.5, y - 9);
          context.fill();
          noteHead(context, movedPiece.head, x, y, 3, false);
        }
      }
    },
    [night, document, pieces, whole, draft],
  );

  const drawPlace = useCallback<Draw>(
    (context, width, height) => {
      if (!overview?.length_s) return;
      const look = inks(night);
      const box = width - 2 * LEFT;
      const from = timeToX(view.startS, whole, LEFT, box);
      const span = Math.max((view.spanS / lengthS) * box, 3);
      context.fillStyle = look.shade;
      context.fillRect(from, 17, span, height - 22);
      context.strokeStyle = look.ink;
      context.lineWidth = 1.5;
      context.strokeRect(from, 17, span, height - 22);
      context.fillStyle = look.ink;
      context.fillRect(
        timeToX(useWindow.getState().playheadS, whole, LEFT, box) - 0.75,
        17,
        1.5,
        height - 22,
      );
    },
    [night, view, whole, lengthS, overview?.length_s],
  );

  const handlers = useGesture<StaffDrag | null>(null, (drag, { kind, x, width }) => {
    const scene = { left: LEFT, width: width - 2 * LEFT, lengthS, view };
    const [next, seen] = dragStaff(drag, { kind, x }, scene);
    if (seen) useWindow.getState().set({ view: seen });
    return next;
  });
  return (
    <div
      className="staff"
      role="img"
      aria-label="The whole session as a percussion staff. Click to go to a place."
      {...handlers}
    >
      <Canvas draw={drawPlace} on={onLine} />
      <Canvas draw={drawNotes} />
      <Canvas draw={drawMoved} />
    </div>
  );
}
