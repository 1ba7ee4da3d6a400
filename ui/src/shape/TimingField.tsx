import { useCallback, useMemo, type PointerEvent } from 'react';
import type { Piece } from '../api/client';
import { useWindow } from '../state/window';
import { Canvas, type Draw } from '../stage/Canvas';
import { headSize, inks, noteHead } from '../stage/heads';
import { placeOf, type Columns } from './useShape';

const LEFT = 58;
const RIGHT = 18;
const TOP = 28;
const STRENGTH = 64;
const BOTTOM = 30;
const RANGES_MS = [5, 10, 20, 40, 80, 160];

interface Props {
  piece: Piece;
  columns: Columns;
  /** What was selected: show it, and hear from there. */
  onSelect: (place: number) => void;
}

/**
 * When: the bars laid over each other. Each step of the bar has a column in which its strokes stand one after
 * the other, bar by bar, as far above or below the line as they came early or late; so the feel shows, and
 * also how it drifts. Under it, how hard.
 */
export function TimingField({ piece, columns, onSelect }: Props) {
  const night = useWindow((state) => state.night);
  const selectedS = useWindow((state) => state.selectedS);
  const chosenS = useWindow((state) => state.chosenS);
  const rangeMs = useMemo(() => {
    const sizes = columns.late_ms.map(Math.abs).sort((a, b) => a - b);
    const most = sizes[Math.floor(sizes.length * 0.97)] ?? 10;
    return RANGES_MS.find((range) => range >= most * 1.1) ?? 240;
  }, [columns.late_ms]);
  const lastBar = useMemo(() => columns.bar.reduce((most, bar) => Math.max(most, bar), 1), [columns.bar]);
  const firstBar = useMemo(
    () => columns.bar.reduce((least, bar) => Math.min(least, bar), lastBar),
    [columns.bar, lastBar],
  );

  const place = useCallback(
    (width: number, height: number) => {
      const steps = columns.feel.length;
      const column = (width - LEFT - RIGHT) / steps;
      const tall = height - TOP - STRENGTH - BOTTOM;
      return {
        column,
        tall,
        x: (index: number) => {
          const share = (columns.bar[index]! - firstBar + 0.5) / (lastBar - firstBar + 1);
          return LEFT + (columns.step[index]! + 0.12 + 0.76 * share) * column;
        },
        // What comes later stands further down the page.
        y: (lateMs: number) =>
          TOP + tall * (0.5 + (0.5 * Math.min(Math.max(lateMs, -rangeMs), rangeMs)) / rangeMs),
      };
    },
    [columns, rangeMs, firstBar, lastBar],
  );

  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const colour = look.piece(piece.ink);
      const { column, tall, x, y } = place(width, height);
      context.textBaseline = 'middle';
      const strengthTop = TOP + tall + 20;
      columns.feel.forEach((step, index) => {
        const left = LEFT + index * column;
        const label = columns.step_labels[index] ?? '';
        const onBeat = /^\d+$/.test(label);
        context.fillStyle = onBeat ? look.rule : look.faint;
        context.fillRect(left, TOP, onBeat ? 1.5 : 1, height - TOP - BOTTOM);
        context.font = `${onBeat ? '600 13px' : '12px'} "Recursive Variable", monospace`;
        context.textAlign = 'center';
        context.fillStyle = step.count ? look.ink : look.quiet;
        context.fillText(label, left + column / 2, height - BOTTOM / 2);
        if (!step.count) return;
        // the feel: where the middle stroke lies, and within what half of them do
        context.fillStyle = look.shade;
        const spread = step.spread_ms ?? 0;
        const [top, bottom] = [y((step.late_ms ?? 0) - spread), y((step.late_ms ?? 0) + spread)];
        context.fillRect(left + 3, top, column - 6, Math.max(bottom - top, 2));
        const tallest = STRENGTH - 24;
        const bar = Math.min((step.strength ?? 1) / 1.6, 1) * tallest;
        context.fillStyle = colour;
        context.globalAlpha = 0.3 + 0.7 * Math.min((step.strength ?? 1) / 1.2, 1);
        context.fillRect(left + column * 0.3, strengthTop + tallest - bar, column * 0.4, bar);
        context.globalAlpha = 1;
      });
      context.font = '12px "Recursive Variable", monospace';
      for (const ms of [-rangeMs, -rangeMs / 2, 0, rangeMs / 2, rangeMs]) {
        context.fillStyle = ms ? look.faint : look.ink;
        context.fillRect(LEFT, y(ms) - (ms ? 0.5 : 0.75), width - LEFT - RIGHT, ms ? 1 : 1.5);
        context.fillStyle = look.quiet;
        context.textAlign = 'right';
        context.fillText(`${ms > 0 ? '+' : ''}${ms}`.replace('-', '−'), LEFT - 8, y(ms));
      }
      context.textAlign = 'left';
      context.fillText('early, ms', 6, TOP - 14);
      context.fillText('late', 6, TOP + tall + 12);
      context.fillText('how', 6, strengthTop + 14);
      context.fillText('hard', 6, strengthTop + 28);
      const chosen = new Set(chosenS);
      for (let i = 0; i < columns.time_s.length; i++) {
        const outside = Math.abs(columns.late_ms[i]!) > rangeMs;
        context.fillStyle = context.strokeStyle = colour;
        context.globalAlpha = 0.3 + 0.7 * (columns.velocity[i]! / 127);
        noteHead(
          context,
          piece.head,
          x(i),
          y(columns.late_ms[i]!),
          headSize(columns.velocity[i]!, 2, 5),
          !outside,
        );
        context.globalAlpha = 1;
        const name = placeOf(columns, i);
        if (name === selectedS || chosen.has(name)) {
          context.strokeStyle = look.ink;
          context.lineWidth = 1.6;
          context.strokeRect(x(i) - 9, y(columns.late_ms[i]!) - 9, 18, 18);
        }
      }
      // the middle of each step over its strokes
      columns.feel.forEach((step, index) => {
        if (!step.count) return;
        context.fillStyle = look.ink;
        context.fillRect(LEFT + index * column + 3, y(step.late_ms ?? 0) - 1, column - 6, 2);
        if (column < 34) return;
        context.font = '600 11px "Recursive Variable", monospace';
        context.textAlign = 'center';
        const said = (step.late_ms ?? 0).toFixed(1).replace('-', '−');
        context.fillText(said, LEFT + (index + 0.5) * column, TOP - 10);
      });
    },
    [night, piece, place, columns, rangeMs, selectedS, chosenS],
  );

  const point = (event: PointerEvent<HTMLDivElement>) => {
    const bounds = event.currentTarget.getBoundingClientRect();
    const { x, y } = place(bounds.width, bounds.height);
    let [nearest, found] = [12, -1];
    for (let i = 0; i < columns.time_s.length; i++) {
      const away = Math.hypot(
        x(i) - event.clientX + bounds.left,
        y(columns.late_ms[i]!) - event.clientY + bounds.top,
      );
      if (away < nearest) [nearest, found] = [away, i];
    }
    if (found >= 0) onSelect(placeOf(columns, found));
  };
  return (
    <div className="stage" data-testid="timing" onPointerDown={point}>
      <Canvas
        draw={draw}
        label={`${piece.name}: how early or late each stroke is, per step of the bar, within ${rangeMs} ms`}
      />
    </div>
  );
}
