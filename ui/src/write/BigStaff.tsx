import { useCallback, useMemo } from 'react';
import type { Piece } from '../api/client';
import { Canvas, type Draw } from '../stage/Canvas';
import { headSize, inks, noteHead, type Inks } from '../stage/heads';
import { onLine } from '../stage/redraws';
import { useGesture } from '../stage/useGesture';
import { useWindow } from '../state/window';
import {
  layoutOf,
  lineAt,
  nameYs,
  noteAt,
  stepAt,
  velocityAt,
  xOfTime,
  yOfStaff,
  yOfVelocity,
  type Bar,
  type Layout,
} from './layout';

interface Props {
  bar: Bar;
  pieces: Map<string, Piece>;
  partId: string | null;
  step: number;
  /** Strokes that were just played in, not yet kept. */
  playing: { partId: string | null; piece: string; timeS: number; velocity: number }[];
  onStep: (step: number, partId: string | null) => void;
  onWrite: (step: number, partId: string) => void;
  onVelocity: (step: number, partId: string, velocity: number) => void;
}

interface Drag {
  partId: string;
  step: number;
  velocity: number;
}

/** One bar on a large percussion staff, its steps counted under it, and how hard each stroke of a part is. */
export function BigStaff({ bar, pieces, partId, step, playing, onStep, onWrite, onVelocity }: Props) {
  const night = useWindow((state) => state.night);
  const line = useMemo(() => bar.lines.find((one) => one.part_id === partId), [bar, partId]);
  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const at = layoutOf(width, height);
      const { playheadS } = useWindow.getState();
      drawGround(context, look, at, bar, step);
      drawNames(context, look, at, bar, pieces, partId);
      for (const one of bar.lines) {
        const piece = pieces.get(one.piece);
        const y = yOfStaff(at, piece?.staff ?? 2);
        context.fillStyle = context.strokeStyle = look.piece(piece?.ink ?? 'loop');
        for (const note of one.notes)
          drawStroke(context, at, piece?.head ?? 'oval', xOfTime(at, bar, note.time_s), y, note);
        if (one.part_id === partId) {
          const note = noteAt(one, step);
          context.strokeStyle = look.ink;
          context.lineWidth = 1.4;
          const x = xOfTime(at, bar, note?.time_s ?? bar.steps_s[step]!);
          if (note) context.strokeRect(x - at.gap * 0.72, y - at.gap * 0.62, at.gap * 1.44, at.gap * 1.24);
          else {
            context.setLineDash([3, 3]);
            context.strokeRect(x - at.gap * 0.5, y - at.gap * 0.4, at.gap, at.gap * 0.8);
            context.setLineDash([]);
          }
        }
      }
      for (const one of playing) {
        const piece = pieces.get(one.piece);
        context.strokeStyle = look.piece(piece?.ink ?? 'loop');
        const x = xOfTime(at, bar, one.timeS);
        if (x >= at.left - 4 && x <= at.left + at.width + 4)
          noteHead(context, piece?.head ?? 'oval', x, yOfStaff(at, piece?.staff ?? 2), at.gap * 0.34, false);
      }
      if (line) drawHardness(context, look, at, bar, line, pieces, step);
      if (playheadS >= bar.start_s && playheadS <= bar.end_s) {
        context.fillStyle = look.ink;
        context.fillRect(xOfTime(at, bar, playheadS) - 1, at.top - 1.9 * at.gap, 2, 5.6 * at.gap);
      }
    },
    [night, bar, step, pieces, partId, line, playing],
  );

  const handlers = useGesture<Drag | null>(null, (drag, input) => {
    const at = layoutOf(input.width, input.height);
    if (input.kind === 'down') {
      const near = stepAt(at, bar, input.x);
      if (input.y > at.hardTop - 8) {
        const note = noteAt(line, near);
        if (!line || !note) {
          onStep(near, null);
          return null;
        }
        onStep(near, line.part_id);
        return { partId: line.part_id, step: near, velocity: velocityAt(at, input.y) };
      }
      const found = lineAt(at, bar, pieces, input.y);
      if (!found || input.x < at.left - 14) {
        if (found) onStep(step, found.part_id);
        return null;
      }
      const there = noteAt(found, near);
      const chosen = found.part_id === partId && near === step;
      onStep(near, found.part_id);
      // What stands there already is chosen first; once chosen, it is taken away.
      if (!there || chosen) onWrite(near, found.part_id);
      return null;
    }
    if (input.kind === 'move' && drag) return { ...drag, velocity: velocityAt(at, input.y) };
    if (input.kind === 'up' && drag) onVelocity(drag.step, drag.partId, drag.velocity);
    return input.kind === 'leave' ? drag : null;
  });
  return (
    <div
      className="big-staff"
      role="img"
      aria-label={saidOf(bar, pieces)}
      data-testid="big-staff"
      {...handlers}
    >
      <Canvas draw={draw} on={onLine} />
    </div>
  );
}

/** The bar in words, for those who do not see it. */
function saidOf(bar: Bar, pieces: Map<string, Piece>): string {
  const lines = bar.lines
    .filter((line) => line.notes.length)
    .map((line) => {
      const steps = line.notes.map(
        (note) => `${bar.labels[note.step] ?? ''}${note.kind === 'plain' ? '' : ` ${note.kind}`}`,
      );
      return `${line.name || pieces.get(line.piece)?.name}: ${steps.join(', ')}`;
    });
  return `Bar ${bar.bar}. ${lines.join('. ') || 'Nothing is written in it.'}`;
}

function drawGround(context: CanvasRenderingContext2D, look: Inks, at: Layout, bar: Bar, step: number): void {
  const bottom = at.top + 4 * at.gap;
  context.fillStyle = look.shade;
  const steps = bar.steps_s;
  const from = xOfTime(at, bar, steps[step] ?? bar.start_s);
  const wide = at.width / (steps.length - 1);
  context.fillRect(from - wide * 0.42, at.top - 1.7 * at.gap, wide * 0.84, bottom - at.top + 3.2 * at.gap);
  context.textAlign = 'center';
  context.textBaseline = 'middle';
  for (const [index, timeS] of steps.slice(0, -1).entries()) {
    const x = xOfTime(at, bar, timeS);
    const beat = bar.beat_steps[index];
    context.fillStyle = beat ? look.rule : look.faint;
    context.fillRect(
      x - (beat ? 0.75 : 0.5),
      at.top - 1.3 * at.gap,
      beat ? 1.5 : 1,
      4 * at.gap + 2.5 * at.gap,
    );
    context.font = `${beat ? 650 : 400} ${beat ? 15 : 13}px "Recursive Variable", monospace`;
    context.fillStyle = index === step ? look.ink : beat ? look.ink : look.quiet;
    context.fillText(bar.labels[index] ?? '', x, at.countY);
  }
  context.fillStyle = look.soft;
  for (let line = 0; line < 5; line++)
    context.fillRect(at.left - 22, at.top + line * at.gap - 0.6, at.width + 34, 1.2);
  context.fillRect(at.left + at.width + 11, at.top, 1.6, 4 * at.gap);
  context.font = '650 15px "Recursive Variable", monospace';
}

function drawNames(
  context: CanvasRenderingContext2D,
  look: Inks,
  at: Layout,
  bar: Bar,
  pieces: Map<string, Piece>,
  partId: string | null,
): void {
  context.textAlign = 'right';
  const ys = nameYs(at, bar, pieces);
  for (const line of bar.lines) {
    const here = line.part_id === partId;
    context.font = `${here ? 650 : 400} 13px "Atkinson Hyperlegible Next Variable", sans-serif`;
    context.fillStyle = here ? look.ink : look.quiet;
    const name = line.name.length > 12 ? `${line.name.slice(0, 11)}…` : line.name;
    context.fillText(name.toLowerCase(), at.left - 30, ys.get(line.part_id)!);
  }
  context.textAlign = 'center';
}

function drawStroke(
  context: CanvasRenderingContext2D,
  at: Layout,
  head: Piece['head'],
  x: number,
  y: number,
  note: Bar['lines'][number]['notes'][number],
): void {
  const size = headSize(note.velocity, at.gap * 0.2, at.gap * 0.5);
  context.globalAlpha = 0.45 + 0.55 * (note.velocity / 127);
  noteHead(context, head, x, y, size);
  context.lineWidth = 1.4;
  context.beginPath();
  const stem = x + size * 1.1;
  context.moveTo(stem, y - 1);
  context.lineTo(stem, y - at.gap * 1.55);
  context.stroke();
  for (let k = 1; k <= note.graces; k++) {
    const before = x - at.gap * 0.42 * k - size * 0.7;
    noteHead(context, head, before, y, size * 0.5);
    context.beginPath();
    context.moveTo(before + size * 0.55, y);
    context.lineTo(before + size * 0.55, y - at.gap * 0.85);
    context.stroke();
  }
  context.globalAlpha = 1;
  const over = y - at.gap * 1.55 - 8;
  context.lineWidth = 1.6;
  if (note.kind === 'ghost') {
    for (const side of [-1, 1]) {
      context.beginPath();
      const angle = side < 0 ? Math.PI : 0;
      context.arc(x + side * 2, y, size * 1.75, angle - 0.62, angle + 0.62);
      context.stroke();
    }
  }
  if (note.kind === 'accent') {
    context.beginPath();
    // Under its head: over it other pieces stand.
    const under = y + at.gap * 0.78;
    context.moveTo(x - 7, under - 4);
    context.lineTo(x + 8, under);
    context.lineTo(x - 7, under + 4);
    context.stroke();
  }
  if (note.way) {
    context.beginPath();
    if (note.way === 'open') context.arc(x, over, 4, 0, 2 * Math.PI);
    else if (note.way === 'side') {
      context.moveTo(x - 5, over - 3);
      context.lineTo(x + 5, over + 3);
    } else {
      context.moveTo(x - 4, over);
      context.lineTo(x + 4, over);
      context.moveTo(x, over - 4);
      context.lineTo(x, over + 4);
    }
    context.stroke();
  }
}

function drawHardness(
  context: CanvasRenderingContext2D,
  look: Inks,
  at: Layout,
  bar: Bar,
  line: Bar['lines'][number],
  pieces: Map<string, Piece>,
  step: number,
): void {
  context.textAlign = 'right';
  context.font = '400 13px "Atkinson Hyperlegible Next Variable", sans-serif';
  context.fillStyle = look.quiet;
  context.fillText('how hard', at.left - 30, (at.hardTop + at.hardGround) / 2);
  context.textAlign = 'center';
  context.fillStyle = look.soft;
  context.fillRect(at.left - 22, at.hardGround, at.width + 34, 1.2);
  for (const note of line.notes) {
    const x = xOfTime(at, bar, note.time_s);
    const y = yOfVelocity(at, note.velocity);
    context.fillStyle = look.piece(pieces.get(line.piece)?.ink ?? 'loop');
    context.globalAlpha = 0.45 + 0.55 * (note.velocity / 127);
    context.fillRect(x - 3, y, 6, at.hardGround - y);
    context.globalAlpha = 1;
    context.fillStyle = look.ink;
    context.font = `${note.step === step ? 650 : 400} 12px "Recursive Variable", monospace`;
    context.fillText(String(note.velocity), x, y - 9);
  }
}
