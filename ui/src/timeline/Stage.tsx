import { useCallback, useEffect, useMemo, useRef, useState, type PointerEvent as ReactPointerEvent } from 'react';
import type { Decisions, Document, Part, Piece } from '../api/client';
import { fitView, useWindow, zoomView } from '../state/window';
import { BOTTOM_DB, clock, decibels, firstAt, gridLines, levelToY, timeToX, TOP_DB, xToTime, yToLevel } from './axes';
import { Canvas, type Draw } from './Canvas';
import { headSize, inks, noteHead } from './heads';
import { State, counts } from './states';
import { onTile } from './tiles';
import { drawWaveform } from './waveform';

const LEFT = 40;
const LADDER = 104;
const RIGHT_WITHOUT_LADDER = 16;
const TOP = 22;

const onHeads = (redraw: () => void) =>
  useWindow.subscribe((now, old) => (now.playheadS !== old.playheadS || now.pointerS !== old.pointerS) && redraw());

interface Props {
  document: Document;
  part: Part;
  piece: Piece;
  lengthS: number;
  decisions: Decisions | null;
  /** Find shows the hit field with threshold and ladder; other benches show the notes by velocity. */
  mode: 'find' | 'notes';
  gapDb?: number;
  onThreshold?: (levelDb: number, done: boolean) => void;
  onPoint?: (index: number | null, x: number, y: number) => void;
}

/** One part large: its waveform, and on the same time axis the hit field or the notes; beside them the ladder. */
export function Stage({ document, part, piece, lengthS, decisions, mode, gapDb, onThreshold, onPoint }: Props) {
  const night = useWindow((state) => state.night);
  const view = useWindow((state) => state.view);
  const grid = useWindow((state) => state.grid);
  const loop = useWindow((state) => state.loop);
  const looping = useWindow((state) => state.looping);
  const selectedS = useWindow((state) => state.selectedS);
  const [grip, setGrip] = useState<'wave' | 'line' | 'point' | 'none'>('none');
  const ladder = mode === 'find' ? LADDER : 0;
  const sources = useMemo(
    () => part.sources.map((id) => document.sources?.[id]).filter((s) => s !== undefined),
    [part, document],
  );

  const boxes = useCallback(
    (width: number, height: number) => {
      const right = ladder ? ladder + 8 : RIGHT_WITHOUT_LADDER;
      const wave = {
        left: LEFT,
        top: TOP,
        width: width - LEFT - right,
        height: Math.round((height - TOP) * (mode === 'find' ? 0.27 : 0.46)),
      };
      const top = wave.top + wave.height + 16;
      return { wave, field: { left: LEFT, top, width: wave.width, height: height - top - 10 } };
    },
    [ladder, mode],
  );

  // The ground: loop, grid and waveform. It stands still while a threshold moves, and is not drawn again then.
  const drawGround = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const { wave, field } = boxes(width, height);
      const x = (timeS: number) => timeToX(timeS, view, field.left, field.width);
      context.font = '12px "Recursive Variable", monospace';
      context.textBaseline = 'middle';

      // the range that is looped
      if (loop) {
        const from = Math.max(x(loop.startS), wave.left);
        const to = Math.min(x(loop.endS), wave.left + wave.width);
        if (to > from) {
          context.fillStyle = look.shade;
          context.fillRect(from, TOP - 6, to - from, height - TOP);
          context.fillStyle = looping ? look.ink : look.quiet;
          context.fillRect(from, TOP - 6, to - from, 3);
        }
      }
      if (grid) {
        const lines = gridLines(
          document.tempo ?? {},
          view.startS,
          view.startS + view.spanS,
          (view.spanS / field.width) * 22,
        );
        for (const line of lines) {
          context.fillStyle = line.kind === 'bar' ? look.rule : look.faint;
          context.fillRect(x(line.timeS), wave.top, line.kind === 'bar' ? 1.5 : 1, wave.height);
          context.fillRect(x(line.timeS), field.top, line.kind === 'bar' ? 1.5 : 1, field.height);
          if (line.kind === 'bar') {
            context.fillStyle = look.quiet;
            context.fillText(String(line.bar), x(line.timeS) + 4, 9);
          }
        }
      }
      sources.forEach((source, index) => {
        const share = wave.height / sources.length;
        drawWaveform(context, source, view, { ...wave, top: wave.top + index * share, height: share }, look.ink);
      });
    },
    [night, view, grid, loop, looping, document.tempo, sources, boxes],
  );

  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const { wave, field } = boxes(width, height);
      const colour = look.piece(piece.ink);
      const x = (timeS: number) => timeToX(timeS, view, field.left, field.width);
      const y = (levelDb: number) => levelToY(levelDb, field.top, field.height);
      context.font = '12px "Recursive Variable", monospace';
      context.textBaseline = 'middle';

      if (mode === 'notes') {
        context.textAlign = 'right';
        for (const velocity of [32, 64, 96, 127]) {
          const at = field.top + field.height * (1 - velocity / 127);
          context.fillStyle = look.faint;
          context.fillRect(field.left, at, field.width, 1);
          context.fillStyle = look.quiet;
          context.fillText(String(velocity), field.left - 8, at);
        }
        context.textAlign = 'left';
        context.fillStyle = look.rule;
        context.fillRect(field.left, field.top + field.height, field.width, 1);
        if (!decisions) return;
        const to = firstAt(decisions.time_s, view.startS + view.spanS);
        for (let i = firstAt(decisions.time_s, view.startS); i < to; i++) {
          const velocity = decisions.velocity[i]!;
          if (!velocity) continue;
          const at = field.top + field.height * (1 - velocity / 127);
          context.fillStyle = context.strokeStyle = colour;
          context.globalAlpha = 0.55;
          context.fillRect(x(decisions.time_s[i]!) - 0.75, at, 1.5, field.top + field.height - at);
          context.globalAlpha = 1;
          noteHead(context, piece.head, x(decisions.time_s[i]!), at, headSize(velocity, 2.5, 6));
        }
        return;
      }

      // the hit field
      const threshold = decisions?.threshold_db ?? -60;
      context.fillStyle = look.shade;
      context.fillRect(field.left, y(threshold), field.width, field.top + field.height - y(threshold));
      context.textAlign = 'right';
      for (let level = TOP_DB; level > BOTTOM_DB; level -= 12) {
        context.fillStyle = look.faint;
        context.fillRect(field.left, y(level), field.width, 1);
        context.fillStyle = look.quiet;
        context.fillText(decibels(level, 0), field.left - 8, y(level));
      }
      context.textAlign = 'left';
      if (!decisions) return;
      context.save();
      context.beginPath();
      context.rect(field.left - 12, field.top - 12, field.width + 18, field.height + 24);
      context.clip();
      const margin = (view.spanS * 10) / field.width;
      const first = firstAt(decisions.time_s, view.startS - margin);
      const last = firstAt(decisions.time_s, view.startS + view.spanS + margin);
      for (let i = first; i < last; i++) {
        if (!counts(decisions.state[i]!)) continue;
        context.fillStyle = colour;
        context.globalAlpha = 0.45;
        context.fillRect(
          x(decisions.time_s[i]!) - 0.5,
          y(decisions.level_db[i]!),
          1.2,
          field.top + field.height - y(decisions.level_db[i]!),
        );
      }
      context.globalAlpha = 1;
      for (let i = first; i < last; i++)
        drawCandidate(
          context,
          decisions,
          i,
          x(decisions.time_s[i]!),
          y(decisions.level_db[i]!),
          piece,
          colour,
          look.soft,
          look.ink,
        );
      context.restore();
      if (selectedS !== null) {
        const index = firstAt(decisions.time_s, selectedS - 0.0005);
        if (index < decisions.time_s.length && Math.abs(decisions.time_s[index]! - selectedS) < 0.001) {
          const at = x(decisions.time_s[index]!);
          context.fillStyle = look.ink;
          context.fillRect(at - 0.75, wave.top, 1.5, wave.height);
          context.strokeStyle = look.ink;
          context.lineWidth = 1.6;
          context.strokeRect(at - 12, y(decisions.level_db[index]!) - 12, 24, 24);
        }
      }
      // the threshold, the line to drag
      const at = y(threshold);
      context.fillStyle = look.ink;
      context.fillRect(field.left, at - 0.75, field.width + 8 + ladder, 1.5);
      const label = `threshold ${decibels(threshold)} dB`;
      context.font = '600 12px "Recursive Variable", monospace';
      const wide = context.measureText(label).width + 18;
      context.beginPath();
      context.roundRect(field.left + 6, at - 10.5, wide, 21, 10.5);
      context.fill();
      context.fillStyle = look.paper;
      context.fillText(label, field.left + 15, at + 0.5);
      drawLadder(
        context,
        decisions,
        field.left + field.width + 12,
        ladder - 16,
        y,
        colour,
        look.rule,
        look.quiet,
        gapDb ?? 0,
      );
    },
    [night, view, selectedS, decisions, piece, mode, gapDb, boxes, ladder],
  );

  const drawHead = useCallback<Draw>(
    (context, width, height) => {
      const { wave } = boxes(width, height);
      const { playheadS, pointerS } = useWindow.getState();
      const look = inks(night);
      for (const [timeS, wide, colour] of [
        [pointerS, 1, look.quiet],
        [playheadS, 2, look.ink],
      ] as const) {
        if (timeS === null) continue;
        const at = timeToX(timeS, view, wave.left, wave.width);
        if (at < wave.left - 1 || at > wave.left + wave.width + 1) continue;
        context.fillStyle = colour;
        context.globalAlpha = wide === 1 ? 0.5 : 1;
        context.fillRect(at - wide / 2, TOP - 6, wide, height - TOP);
      }
    },
    [night, view, boxes],
  );

  // Wheel: zoom about the pointer; with Shift or sideways: along.
  const holder = useRef<HTMLDivElement | null>(null);
  useEffect(() => {
    const element = holder.current;
    if (!element) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const { view: now, set } = useWindow.getState();
      const bounds = element.getBoundingClientRect();
      const { wave } = boxes(bounds.width, bounds.height);
      const along = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX;
      if (Math.abs(along) > Math.abs(event.shiftKey ? 0 : event.deltaY)) {
        set({ view: fitView({ ...now, startS: now.startS + (along / wave.width) * now.spanS }, lengthS) });
      } else {
        const about = xToTime(event.clientX - bounds.left, now, wave.left, wave.width);
        set({ view: zoomView(now, Math.exp(event.deltaY * 0.0016), about, lengthS) });
      }
    };
    element.addEventListener('wheel', wheel, { passive: false });
    return () => element.removeEventListener('wheel', wheel);
  }, [boxes, lengthS]);

  const drag = useRef<{ kind: 'line' | 'wave'; fromS: number; moved: boolean } | null>(null);
  const locate = (event: ReactPointerEvent<HTMLDivElement>) => {
    const bounds = event.currentTarget.getBoundingClientRect();
    const place = boxes(bounds.width, bounds.height);
    const px = event.clientX - bounds.left;
    const py = event.clientY - bounds.top;
    const timeS = Math.min(Math.max(xToTime(px, view, place.wave.left, place.wave.width), 0), lengthS);
    const onLine =
      mode === 'find' &&
      decisions !== null &&
      px >= LEFT &&
      Math.abs(py - levelToY(decisions.threshold_db, place.field.top, place.field.height)) < 6;
    let point: number | null = null;
    if (mode === 'find' && decisions && py > place.field.top - 8) {
      let nearest = 13;
      const reach = (13 / place.field.width) * view.spanS;
      for (
        let i = firstAt(decisions.time_s, timeS - reach);
        i < decisions.time_s.length && decisions.time_s[i]! < timeS + reach;
        i++
      ) {
        const away = Math.hypot(
          timeToX(decisions.time_s[i]!, view, place.field.left, place.field.width) - px,
          levelToY(decisions.level_db[i]!, place.field.top, place.field.height) - py,
        );
        if (away < nearest) [nearest, point] = [away, i];
      }
    }
    return { place, px, py, timeS, onLine: onLine && point === null, point };
  };

  return (
    <div
      ref={holder}
      className={`stage grip-${grip}`}
      data-testid="stage"
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        const { timeS, onLine, point } = locate(event);
        event.currentTarget.setPointerCapture(event.pointerId);
        if (point !== null && decisions) {
          useWindow.getState().set({ selectedS: decisions.time_s[point]!, playheadS: decisions.time_s[point]! });
          return;
        }
        drag.current = { kind: onLine ? 'line' : 'wave', fromS: timeS, moved: false };
      }}
      onPointerMove={(event) => {
        const { place, px, py, timeS, onLine, point } = locate(event);
        const now = drag.current;
        useWindow.getState().set({ pointerS: timeS });
        if (!now) {
          setGrip(point !== null ? 'point' : onLine ? 'line' : 'wave');
          onPoint?.(point, px, py);
          return;
        }
        if (now.kind === 'line') {
          now.moved = true;
          const level = yToLevel(py, place.field.top, place.field.height);
          onThreshold?.(Math.round(Math.min(Math.max(level, BOTTOM_DB), TOP_DB) * 10) / 10, false);
        } else if (now.moved || Math.abs(timeS - now.fromS) > (view.spanS * 5) / place.wave.width) {
          now.moved = true;
          useWindow.getState().set({
            loop: {
              startS: Math.min(now.fromS, timeS),
              endS: Math.max(now.fromS, timeS, Math.min(now.fromS, timeS) + 0.03),
            },
            looping: true,
          });
        }
      }}
      onPointerUp={(event) => {
        const now = drag.current;
        drag.current = null;
        if (!now) return;
        const { place, py } = locate(event);
        if (now.kind === 'line') {
          const level = yToLevel(py, place.field.top, place.field.height);
          if (now.moved) onThreshold?.(Math.round(Math.min(Math.max(level, BOTTOM_DB), TOP_DB) * 10) / 10, true);
        } else if (!now.moved) {
          useWindow.getState().set({ playheadS: now.fromS, selectedS: null, loop: null, looping: false });
        }
      }}
      onPointerLeave={() => {
        useWindow.getState().set({ pointerS: null });
        onPoint?.(null, 0, 0);
      }}
    >
      <Canvas draw={drawGround} on={onTile} />
      <Canvas
        draw={draw}
        label={`${piece.name}: waveform and ${mode === 'find' ? 'hit field' : 'notes'} from ${clock(view.startS)} to ${clock(view.startS + view.spanS)}`}
      />
      <Canvas draw={drawHead} on={onHeads} />
    </div>
  );
}

/** One candidate, its state by shape: see the legend under the field. */
function drawCandidate(
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

/** How many candidates lie at each level, on the field's own axis, and the gap the suggestion lies in. */
function drawLadder(
  context: CanvasRenderingContext2D,
  decisions: Decisions,
  left: number,
  width: number,
  y: (levelDb: number) => number,
  colour: string,
  grey: string,
  quiet: string,
  gapDb: number,
): void {
  const hits = new Array<number>(-BOTTOM_DB + 1).fill(0);
  const rest = new Array<number>(-BOTTOM_DB + 1).fill(0);
  decisions.level_db.forEach((level, i) => {
    const bin = Math.floor(-level);
    if (bin >= 0 && bin < -BOTTOM_DB) (counts(decisions.state[i]!) ? hits : rest)[bin]!++;
  });
  const most = Math.max(...hits.map((count, bin) => count + rest[bin]!), 4);
  const scale = (count: number) => (width * Math.sqrt(count)) / Math.sqrt(most);
  for (let bin = 0; bin < -BOTTOM_DB; bin++) {
    const total = hits[bin]! + rest[bin]!;
    if (!total) continue;
    const top = y(-bin) + 0.5;
    const height = Math.max(y(-bin - 1) - y(-bin) - 1, 1);
    const share = scale(total) * (hits[bin]! / total);
    context.fillStyle = colour;
    context.fillRect(left, top, share, height);
    context.fillStyle = grey;
    context.fillRect(left + share, top, scale(total) - share, height);
  }
  if (gapDb < 1) return;
  const middle = decisions.suggestion.threshold_db;
  const top = y(middle + gapDb * 0.55);
  const bottom = y(middle - gapDb * 0.45);
  const x = left + width + 1;
  context.strokeStyle = quiet;
  context.lineWidth = 1.2;
  context.beginPath();
  context.moveTo(x - 5, top);
  context.lineTo(x, top);
  context.lineTo(x, bottom);
  context.lineTo(x - 5, bottom);
  context.stroke();
  context.fillStyle = quiet;
  context.font = '11px "Recursive Variable", monospace';
  context.textAlign = 'right';
  context.fillText(
    `gap ${gapDb.toFixed(0)} dB`,
    x - 8,
    Math.min(Math.max((top + bottom) / 2 - 8, top + 7), bottom - 7),
  );
  context.textAlign = 'left';
}
