import { useCallback, useMemo, useRef, useState, type PointerEvent as ReactPointerEvent } from 'react';
import type { Decisions, Document, Part, Piece, Schema, Suspect } from '../api/client';
import { useWindow } from '../state/window';
import { knownTempo, BOTTOM_DB, clock, decibels, firstAt, levelToY, timeToX, TOP_DB, xToTime, yToLevel } from './axes';
import { Canvas, type Draw } from './Canvas';
import { drawTimeGround } from './ground';
import { headSize, inks, noteHead } from './heads';
import { State, counts, rowAt } from './states';
import { onTile } from './tiles';
import { useWheel } from './useWheel';
import { drawWaveform } from './waveform';

const LEFT = 40;
const LADDER = 104;
const RIGHT_WITHOUT_LADDER = 16;
const TOP = 22;
const AT_S = 0.0005;

type CurvePoint = Schema['CurvePoint'];
const NO_POINTS: CurvePoint[] = [];

/** How far over the threshold its curve runs at a moment, in dB. */
function offsetAt(points: CurvePoint[], timeS: number): number {
  if (!points.length) return 0;
  const after = points.findIndex((point) => point.time_s >= timeS);
  if (after === 0) return points[0]!.offset_db;
  if (after < 0) return points[points.length - 1]!.offset_db;
  const [a, b] = [points[after - 1]!, points[after]!];
  return a.offset_db + ((b.offset_db - a.offset_db) * (timeS - a.time_s)) / Math.max(b.time_s - a.time_s, 1e-9);
}

/** Ask for drawing anew when the play line or the pointer moves. */
export const onHeads = (redraw: () => void) =>
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
  /** The curve that the threshold follows, and how it is drawn anew: all its points. */
  curve?: CurvePoint[];
  onCurve?: (points: CurvePoint[], done: boolean) => void;
  /** Whose stroke a pointed candidate may be, and when. */
  suspect?: Suspect | null;
  /** A stretch that is looked at; what lies outside is shaded. */
  span?: { start_s: number; end_s: number } | null;
  onPoint?: (index: number | null, x: number, y: number) => void;
}

/** One part large: its waveform, and on the same time axis the hit field or the notes; beside them the ladder. */
export function Stage({
  document,
  part,
  piece,
  lengthS,
  decisions,
  mode,
  gapDb,
  onThreshold,
  curve = NO_POINTS,
  onCurve,
  suspect = null,
  span = null,
  onPoint,
}: Props) {
  const night = useWindow((state) => state.night);
  const view = useWindow((state) => state.view);
  const grid = useWindow((state) => state.grid);
  const loop = useWindow((state) => state.loop);
  const looping = useWindow((state) => state.looping);
  const selectedS = useWindow((state) => state.selectedS);
  const chosenS = useWindow((state) => state.chosenS);
  const drawing = useWindow((state) => state.drawing);
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
  const tempo = grid ? knownTempo(document) : null;
  const drawGround = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const { wave, field } = boxes(width, height);
      context.font = '12px "Recursive Variable", monospace';
      context.textBaseline = 'middle';
      drawTimeGround(context, look, { view, loop, looping, tempo }, [wave, field]);
      sources.forEach((source, index) => {
        const share = wave.height / sources.length;
        drawWaveform(context, source, view, { ...wave, top: wave.top + index * share, height: share }, look.ink);
      });
    },
    [night, view, tempo, loop, looping, sources, boxes],
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
      const lineAt = (timeS: number) => y(threshold + offsetAt(curve, timeS));
      const corners = curve.length
        ? [view.startS, ...curve.map((p) => p.time_s), view.startS + view.spanS].filter(
            (t) => t >= view.startS && t <= view.startS + view.spanS,
          )
        : [view.startS, view.startS + view.spanS];
      context.fillStyle = look.shade;
      context.beginPath();
      context.moveTo(field.left, field.top + field.height);
      for (const timeS of corners) context.lineTo(x(timeS), lineAt(timeS));
      context.lineTo(field.left + field.width, field.top + field.height);
      context.fill();
      if (span) {
        for (const [from, to] of [
          [view.startS, span.start_s],
          [span.end_s, view.startS + view.spanS],
        ] as const) {
          const left = Math.max(x(from), field.left);
          const right = Math.min(x(to), field.left + field.width);
          if (right > left) context.fillRect(left, wave.top, right - left, field.top + field.height - wave.top);
        }
      }
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
      context.strokeStyle = look.ink;
      context.lineWidth = 1.1;
      for (let i = first; i < last; i++) {
        if (decisions.doubt[i]! < decisions.worth_a_look) continue;
        context.setLineDash([2.5, 2.5]);
        context.beginPath();
        context.arc(x(decisions.time_s[i]!), y(decisions.level_db[i]!), 10.5, 0, 2 * Math.PI);
        context.stroke();
      }
      context.setLineDash([]);
      context.restore();
      if (selectedS !== null) {
        const index = rowAt(decisions, selectedS, AT_S);
        if (index >= 0) {
          const at = x(decisions.time_s[index]!);
          context.fillStyle = look.ink;
          context.fillRect(at - 0.75, wave.top, 1.5, wave.height);
          context.strokeStyle = look.ink;
          context.lineWidth = 1.6;
          context.strokeRect(at - 12, y(decisions.level_db[index]!) - 12, 24, 24);
        }
      }
      for (const timeS of chosenS) {
        const index = rowAt(decisions, timeS, AT_S);
        if (index < 0 || timeS < view.startS || timeS > view.startS + view.spanS) continue;
        context.strokeStyle = look.ink;
        context.lineWidth = 1.3;
        context.strokeRect(x(decisions.time_s[index]!) - 9, y(decisions.level_db[index]!) - 9, 18, 18);
      }
      if (suspect) {
        // the stroke whose spill this may be: when it was struck, and how loud it should be here
        const when = x(suspect.time_s);
        context.strokeStyle = context.fillStyle = look.soft;
        context.lineWidth = 1.2;
        context.setLineDash([3, 3]);
        context.beginPath();
        context.moveTo(when, wave.top);
        context.lineTo(when, field.top + field.height);
        context.stroke();
        context.setLineDash([]);
        context.fillText(`${suspect.name.toLowerCase()} struck`, when + 5, wave.top + 7);
      }
      // the threshold, the line to drag
      const at = lineAt(view.startS);
      context.strokeStyle = context.fillStyle = look.ink;
      context.lineWidth = 1.5;
      context.beginPath();
      corners.forEach((timeS, index) => context[index ? 'lineTo' : 'moveTo'](x(timeS), lineAt(timeS)));
      context.stroke();
      context.fillRect(field.left + field.width, y(threshold) - 0.75, 8 + ladder, 1.5);
      for (const point of curve) {
        if (point.time_s < view.startS || point.time_s > view.startS + view.spanS) continue;
        context.fillRect(x(point.time_s) - 4, lineAt(point.time_s) - 4, 8, 8);
      }
      const label = drawing ? 'click to bend the line' : `threshold ${decibels(threshold)} dB`;
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
    [night, view, selectedS, chosenS, decisions, piece, mode, gapDb, boxes, ladder, curve, drawing, suspect, span],
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

  const holder = useRef<HTMLDivElement | null>(null);
  const axis = useCallback((width: number, height: number) => boxes(width, height).wave, [boxes]);
  useWheel(holder, axis, lengthS);

  const drag = useRef<{
    kind: 'line' | 'wave' | 'field' | 'curve';
    fromS: number;
    fromY: number;
    moved: boolean;
    point: number;
  } | null>(null);
  const [box, setBox] = useState<{ left: number; top: number; width: number; height: number } | null>(null);
  const bend = (index: number, timeS: number, levelDb: number, done: boolean) => {
    if (!decisions) return;
    const points = curve.map((point, at) =>
      at === index ? { time_s: timeS, offset_db: Math.round((levelDb - decisions.threshold_db) * 10) / 10 } : point,
    );
    onCurve?.(points, done);
  };
  /** The threshold that lets its curve run through a level at a moment. */
  const dragged = (level: number, timeS: number) =>
    Math.round(Math.min(Math.max(level - offsetAt(curve, timeS), BOTTOM_DB), TOP_DB) * 10) / 10;
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
      Math.abs(py - levelToY(decisions.threshold_db + offsetAt(curve, timeS), place.field.top, place.field.height)) < 6;
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
        const { place, px, py, timeS, onLine, point } = locate(event);
        event.currentTarget.setPointerCapture(event.pointerId);
        const inField = mode === 'find' && py > place.field.top;
        if (drawing && inField && decisions) {
          const level = yToLevel(py, place.field.top, place.field.height);
          const near = curve.findIndex(
            (one) =>
              Math.abs(timeToX(one.time_s, view, place.field.left, place.field.width) - px) < 9 &&
              Math.abs(levelToY(decisions.threshold_db + one.offset_db, place.field.top, place.field.height) - py) < 9,
          );
          if (near >= 0 && event.altKey)
            onCurve?.(
              curve.filter((_, at) => at !== near),
              true,
            );
          else if (near >= 0) drag.current = { kind: 'curve', fromS: timeS, fromY: py, moved: false, point: near };
          else {
            const offset = Math.round((level - decisions.threshold_db) * 10) / 10;
            const points = [...curve, { time_s: timeS, offset_db: offset }].sort((a, b) => a.time_s - b.time_s);
            onCurve?.(points, true);
          }
          return;
        }
        if (point !== null && decisions) {
          useWindow
            .getState()
            .set({ selectedS: decisions.time_s[point]!, playheadS: decisions.time_s[point]!, chosenS: [] });
          return;
        }
        drag.current = {
          kind: onLine ? 'line' : inField ? 'field' : 'wave',
          fromS: timeS,
          fromY: py,
          moved: false,
          point: -1,
        };
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
          onThreshold?.(dragged(level, now.fromS), false);
        } else if (now.kind === 'curve') {
          now.moved = true;
          bend(now.point, timeS, yToLevel(py, place.field.top, place.field.height), false);
        } else if (now.kind === 'field') {
          const fromX = timeToX(now.fromS, view, place.field.left, place.field.width);
          if (!now.moved && Math.hypot(px - fromX, py - now.fromY) < 5) return;
          now.moved = true;
          setBox({
            left: Math.min(fromX, px),
            top: Math.min(now.fromY, py),
            width: Math.abs(px - fromX),
            height: Math.abs(py - now.fromY),
          });
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
        const { place, py, timeS } = locate(event);
        const levelAt = (where: number) => yToLevel(where, place.field.top, place.field.height);
        if (now.kind === 'line') {
          if (now.moved) onThreshold?.(dragged(levelAt(py), now.fromS), true);
        } else if (now.kind === 'curve') {
          if (now.moved) bend(now.point, timeS, levelAt(py), true);
        } else if (now.kind === 'field' && now.moved) {
          setBox(null);
          const [from, to] = [Math.min(now.fromS, timeS), Math.max(now.fromS, timeS)];
          const [top, bottom] = [levelAt(Math.min(now.fromY, py)), levelAt(Math.max(now.fromY, py))];
          const inside = (decisions?.time_s ?? []).filter((t, i) => {
            const level = Math.max(decisions!.level_db[i]!, BOTTOM_DB);
            return t >= from && t <= to && level <= top && level >= bottom - 0.01;
          });
          useWindow.getState().set({ chosenS: inside, selectedS: null });
        } else if (!now.moved) {
          useWindow.getState().set({ playheadS: now.fromS, selectedS: null, chosenS: [], loop: null, looping: false });
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
      {box && <div className="choosing" style={box} />}
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
