import { useCallback } from 'react';
import { Canvas } from '../stage/Canvas';
import { inks, noteHead } from '../stage/heads';
import type { Piece } from '../api/client';
import { useWindow } from '../state/window';
import type { Stroke } from './listening';

const SPAN_S = 6;
const [TOP_DB, BOTTOM_DB] = [0, -60];

export interface LiveRow {
  partId: string;
  name: string;
  piece: Piece;
  lineDb: number;
  /** Whether this drum is asked for now, while a kit is learnt. */
  asked: boolean;
}

/** Where live playing stands: what was decided, and how far it is. */
export interface LiveNow {
  strokes: Stroke[];
  heardS: number;
  atMs: number;
  going: boolean;
}

/** Drawn anew as time goes on. */
const running = (redraw: () => void) => {
  let frame = 0;
  const again = () => {
    redraw();
    frame = requestAnimationFrame(again);
  };
  frame = requestAnimationFrame(again);
  return () => cancelAnimationFrame(frame);
};

/** Every part as a row in which candidates come in at the right, at their level, and pass on to the left. */
export function LiveField({ rows, now }: { rows: LiveRow[]; now: () => LiveNow }) {
  const night = useWindow((state) => state.night);
  const draw = useCallback(
    (context: CanvasRenderingContext2D, width: number, height: number) => {
      const look = inks(night);
      const [left, right] = [132, width - 10];
      const rowHeight = height / Math.max(rows.length, 1);
      const { strokes, heardS, atMs, going } = now();
      const nowS = heardS + (going ? Math.min((performance.now() - atMs) / 1000, 0.6) : 0);
      const xOf = (timeS: number) => right - ((nowS - timeS) / SPAN_S) * (right - left);
      rows.forEach((row, index) => {
        const [top, bottom] = [index * rowHeight + 8, (index + 1) * rowHeight - 8];
        const yOf = (db: number) =>
          top +
          ((TOP_DB - Math.min(Math.max(db, BOTTOM_DB), TOP_DB)) / (TOP_DB - BOTTOM_DB)) * (bottom - top);
        if (row.asked) {
          context.fillStyle = look.shade;
          context.fillRect(0, index * rowHeight, width, rowHeight);
        }
        context.strokeStyle = look.faint;
        context.lineWidth = 1;
        context.beginPath();
        context.moveTo(0, (index + 1) * rowHeight);
        context.lineTo(width, (index + 1) * rowHeight);
        context.stroke();
        context.lineWidth = 1.4;
        context.fillStyle = look.piece(row.piece.ink);
        context.strokeStyle = context.fillStyle;
        noteHead(context, row.piece.head, 16, (top + bottom) / 2, 6);
        context.fillStyle = look.ink;
        context.textAlign = 'left';
        context.textBaseline = 'middle';
        context.font = `${row.asked ? 700 : 600} 13px "Atkinson Hyperlegible Next Variable", sans-serif`;
        context.fillText(row.name, 30, (top + bottom) / 2, left - 70);
        context.font = '11px "Recursive Variable", monospace';
        context.fillStyle = look.quiet;
        context.textAlign = 'right';
        if (rowHeight > 44) {
          context.fillText('0', left - 6, yOf(0));
          context.fillText('−60', left - 6, yOf(-60));
        }
        context.strokeStyle = look.ink;
        context.lineWidth = 1.2;
        context.setLineDash([5, 4]);
        context.beginPath();
        context.moveTo(left, yOf(row.lineDb));
        context.lineTo(right, yOf(row.lineDb));
        context.stroke();
        context.setLineDash([]);
        for (const one of strokes) {
          if (one.part_id !== row.partId) continue;
          const x = xOf(one.time_s);
          if (x < left || x > right) continue;
          const hit = one.state === 1;
          context.fillStyle = hit ? look.piece(row.piece.ink) : look.quiet;
          context.strokeStyle = context.fillStyle;
          context.globalAlpha = hit ? 1 : 0.5;
          context.lineWidth = 1.2;
          noteHead(
            context,
            row.piece.head,
            x,
            yOf(one.level_db),
            hit ? 3 + (6 * one.velocity) / 127 : 2.5,
            hit,
          );
          if (hit) {
            context.lineWidth = 1.2;
            context.beginPath();
            context.moveTo(x, yOf(one.level_db));
            context.lineTo(x, bottom);
            context.stroke();
          }
          context.globalAlpha = 1;
        }
      });
    },
    [night, now, rows],
  );
  return (
    <div className="live-field" style={{ minHeight: Math.max(rows.length, 3) * 46 }}>
      <Canvas
        draw={draw}
        on={running}
        label="Candidates of each part as they are decided, at their level in dB; the dashed line is the threshold"
      />
    </div>
  );
}
