import { useCallback, useMemo, useRef, useState } from 'react';
import type { Document, Part, Piece, Schema } from '../api/client';
import { useWindow } from '../state/window';
import { knownTempo, clock, firstAt, timeToX } from '../stage/axes';
import { Canvas, type Draw } from '../stage/Canvas';
import { drawTimeGround, type Box } from '../stage/ground';
import { headSize, inks, noteHead } from '../stage/heads';
import {
  MOST_PERCENT,
  notePointAt,
  STILL,
  stepNotes,
  type LinePoint,
  type NoteEffect,
  type NoteGesture,
  type NoteScene,
} from '../stage/noteGestures';
import { onHeads } from '../stage/Stage';
import { onTile } from '../stage/tiles';
import { useGesture } from '../stage/useGesture';
import { useWheel } from '../stage/useWheel';
import { drawWaveforms } from '../stage/waveform';
import { LETTERS } from './letters';
import { placeOf, type Columns } from './useShape';

const LEFT = 40;
const RIGHT = 16;
const TOP = 22;

interface Props {
  document: Document;
  part: Part;
  piece: Piece;
  lengthS: number;
  columns: Columns | null;
  /** Groups of hits that are one recorded sound, by the time they were struck. */
  same: Schema['Same'] | null;
  /** Whether a line is being drawn over the notes. */
  drawing: boolean;
  /** The line that is drawn point by point. */
  points: LinePoint[];
  onDrawn: (points: LinePoint[]) => void;
  onVelocity: (indices: number[], by: number) => void;
}

const waveBox = (width: number, height: number): Box => ({
  left: LEFT,
  top: TOP,
  width: width - LEFT - RIGHT,
  height: Math.round((height - TOP) * 0.28),
});
const fieldBox = (width: number, height: number): Box => {
  const wave = waveBox(width, height);
  const top = wave.top + wave.height + 18;
  return { ...wave, top, height: height - top - 14 };
};

/**
 * How hard: every note at its velocity under its stroke. Where a step changed it, the played velocity stands
 * as a short rule.
 */
export function VelocityField({
  document,
  part,
  piece,
  lengthS,
  columns,
  same,
  drawing,
  points,
  onDrawn,
  onVelocity,
}: Props) {
  const night = useWindow((state) => state.night);
  const view = useWindow((state) => state.view);
  const grid = useWindow((state) => state.grid);
  const loop = useWindow((state) => state.loop);
  const looping = useWindow((state) => state.looping);
  const selectedS = useWindow((state) => state.selectedS);
  const chosenS = useWindow((state) => state.chosenS);
  const [line, setLine] = useState<LinePoint[]>([]);
  const [moved, setMoved] = useState<{ places: ReadonlySet<number>; by: number } | null>(null);
  const [box, setBox] = useState<Box | null>(null);
  const sources = useMemo(
    () => part.sources.map((id) => document.sources?.[id]).filter((source) => source !== undefined),
    [part, document],
  );
  const groups = useMemo(
    () => new Map((same?.time_s ?? []).map((timeS, index) => [timeS.toFixed(3), same!.group[index]!])),
    [same],
  );

  const tempo = grid ? knownTempo(document) : null;
  const drawGround = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const wave = waveBox(width, height);
      const field = fieldBox(width, height);
      context.font = '12px "Recursive Variable", monospace';
      context.textBaseline = 'middle';
      drawTimeGround(context, look, { view, loop, looping, tempo }, [wave, field]);
      drawWaveforms(context, sources, view, wave, look.soft);
      if (!sources.length) {
        context.fillStyle = look.quiet;
        context.fillText('notes without a recording', wave.left + 6, wave.top + wave.height / 2);
      }
      context.textAlign = 'right';
      for (const velocity of [1, 32, 64, 96, 127]) {
        const at = field.top + field.height * (1 - velocity / 127);
        context.fillStyle = look.faint;
        context.fillRect(field.left, at, field.width, 1);
        context.fillStyle = look.quiet;
        context.fillText(String(velocity), field.left - 8, at);
      }
      context.textAlign = 'left';
    },
    [night, view, tempo, loop, looping, sources],
  );

  const draw = useCallback<Draw>(
    (context, width, height) => {
      if (!columns) return;
      const look = inks(night);
      const field = fieldBox(width, height);
      const colour = look.piece(piece.ink);
      const x = (timeS: number) => timeToX(timeS, view, field.left, field.width);
      const y = (velocity: number) => field.top + field.height * (1 - velocity / 127);
      const floor = field.top + field.height;
      const chosen = new Set(chosenS);
      context.save();
      context.beginPath();
      context.rect(field.left - 12, field.top - 12, field.width + 24, field.height + 26);
      context.clip();
      const margin = (view.spanS * 10) / field.width;
      const to = firstAt(columns.time_s, view.startS + view.spanS + margin);
      for (let i = firstAt(columns.time_s, view.startS - margin); i < to; i++) {
        const velocity = Math.min(
          Math.max(columns.velocity[i]! + (moved?.places.has(placeOf(columns, i)) ? moved.by : 0), 1),
          127,
        );
        const at = x(columns.time_s[i]!);
        const played = columns.played[i];
        // Ink carries strength: a soft stroke is a thin grey stem, a hard one stands black on the page.
        context.fillStyle = context.strokeStyle = colour;
        context.globalAlpha = 0.25 + 0.75 * (velocity / 127);
        const wide = 1 + 2.4 * (velocity / 127);
        context.fillRect(at - wide / 2, y(velocity), wide, floor - y(velocity));
        context.globalAlpha = 1;
        noteHead(context, piece.head, at, y(velocity), headSize(velocity, 2.6, 6.6), !columns.pattern_id[i]);
        if (played !== null && played !== undefined && Math.abs(played - velocity) >= 1.5) {
          context.fillStyle = look.quiet;
          context.fillRect(at - 6, y(played) - 0.75, 12, 1.5);
        }
        if (columns.by_hand[i]) {
          context.strokeStyle = look.ink;
          context.lineWidth = 1.2;
          context.beginPath();
          context.arc(at, y(velocity), 10, 0, 2 * Math.PI);
          context.stroke();
        }
        const place = placeOf(columns, i);
        if (chosen.has(place) || place === selectedS) {
          context.strokeStyle = look.ink;
          context.lineWidth = place === selectedS ? 1.8 : 1.2;
          context.strokeRect(at - 10, y(velocity) - 10, 20, 20);
        }
        const group = groups.get(place.toFixed(3));
        if (group !== undefined && group >= 0) {
          context.fillStyle = look.ink;
          context.textAlign = 'center';
          context.font = '600 11px "Recursive Variable", monospace';
          context.fillText(LETTERS[group % LETTERS.length]!, at, y(velocity) - 14);
        }
      }
      context.restore();
      context.font = '12px "Recursive Variable", monospace';
      context.textAlign = 'left';
      context.textBaseline = 'middle';
      if (drawing) {
        const percent = (value: number) => field.top + field.height * (1 - value / MOST_PERCENT);
        context.strokeStyle = look.ink;
        context.setLineDash([4, 4]);
        context.lineWidth = 1;
        context.beginPath();
        context.moveTo(field.left, percent(100));
        context.lineTo(field.left + field.width, percent(100));
        context.stroke();
        context.setLineDash([]);
        context.fillStyle = look.ink;
        context.fillText(
          line.length || points.length
            ? '100 %'
            : '100 %: as it is. Drag a line; with Shift, a straight one.',
          field.left + 6,
          percent(100) - 9,
        );
        context.lineWidth = 2;
        context.beginPath();
        const drawn = line.length ? line : points;
        const place = (point: LinePoint) =>
          [x(point.time_s), percent(Math.min(point.percent, MOST_PERCENT))] as const;
        drawn.forEach((point, index) => context[index ? 'lineTo' : 'moveTo'](...place(point)));
        context.stroke();
        // A point that was put by keys shows itself, also where it is the only one.
        if (!line.length) for (const [px, py] of points.map(place)) context.fillRect(px - 4, py - 4, 8, 8);
      }
    },
    [night, view, columns, piece, chosenS, selectedS, groups, drawing, line, points, moved],
  );

  const drawHead = useCallback<Draw>(
    (context, width, height) => {
      const wave = waveBox(width, height);
      const look = inks(night);
      const at = timeToX(useWindow.getState().playheadS, view, wave.left, wave.width);
      if (at < wave.left - 1 || at > wave.left + wave.width + 1) return;
      context.fillStyle = look.ink;
      context.fillRect(at - 1, TOP - 6, 2, height - TOP);
    },
    [night, view],
  );

  const holder = useRef<HTMLDivElement | null>(null);
  useWheel(holder, waveBox, lengthS);
  const doAll = (effects: NoteEffect[]) => {
    const { set } = useWindow.getState();
    for (const effect of effects) {
      switch (effect.kind) {
        case 'select':
          set({ selectedS: effect.placeS, playheadS: effect.placeS, chosenS: [] });
          break;
        case 'go':
          set({ playheadS: effect.timeS, selectedS: null, chosenS: [], loop: null, looping: false });
          break;
        case 'line':
          setLine(effect.ended ? [] : effect.points);
          if (effect.ended && effect.points.length > 1) onDrawn(effect.points);
          break;
        case 'velocity': {
          const places = new Set(effect.placesS);
          setMoved(effect.ended || !effect.by ? null : { places, by: effect.by });
          if (effect.ended && effect.by && columns)
            onVelocity(
              columns.time_s.flatMap((_, i) => (places.has(placeOf(columns, i)) ? [i] : [])),
              effect.by,
            );
          break;
        }
        case 'box':
          setBox(effect.box);
          break;
        case 'choose':
          set({ chosenS: effect.placesS, selectedS: null });
          break;
        case 'loop':
          set({ loop: effect.loop, looping: effect.looping });
          break;
      }
    }
  };
  const handlers = useGesture<NoteGesture>(STILL, (gesture, { kind, x, y, width, height, shift, alt }) => {
    const notes = columns && { timeS: columns.time_s, placeS: columns.struck_s, velocity: columns.velocity };
    const field = fieldBox(width, height);
    const scene: NoteScene = { field, view, lengthS, notes, drawing, loop, looping, chosenS, tempo };
    const [next, effects] = stepNotes(
      gesture,
      { kind, at: notePointAt(scene, x, y), straight: shift, free: alt },
      scene,
    );
    doAll(effects);
    return next;
  });

  return (
    <div ref={holder} className={`stage ${drawing ? '' : 'grip-note'}`} data-testid="stage" {...handlers}>
      <Canvas draw={drawGround} on={onTile} />
      <Canvas
        draw={draw}
        label={`${piece.name}: velocities from ${clock(view.startS)} to ${clock(view.startS + view.spanS)}`}
      />
      <Canvas draw={drawHead} on={onHeads} />
      {box && <div className="choosing" style={box} />}
    </div>
  );
}
