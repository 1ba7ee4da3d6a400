import { useCallback, useMemo, useState } from 'react';
import type { Piece } from '../api/client';
import { Canvas, type Draw } from '../stage/Canvas';
import { headSize, inks, noteHead } from '../stage/heads';
import { useCommands } from '../commands/useCommands';
import { useGesture } from '../stage/useGesture';
import { useWindow } from '../state/window';
import { drawAround, type Lasso, type MapEffect } from './lasso';
import {
  BRIGHT_TICKS_HZ,
  brightX,
  fitted,
  LONG_TICKS_S,
  longY,
  saidHz,
  saidS,
  zoomed,
  type MapBox,
  type MapView,
  type Point,
} from './mapLayout';
import type { SortMap } from './useSort';

const LEFT = 54;
const RIGHT = 14;
const TOP = 26;
const BOTTOM = 34;

const boxOf = (width: number, height: number): MapBox => ({
  left: LEFT,
  top: TOP,
  width: width - LEFT - RIGHT,
  height: height - TOP - BOTTOM,
});

interface Props {
  map: SortMap;
  source: string;
  pieces: Map<string, Piece>;
  chosen: ReadonlySet<number>;
  at: number | null;
  /** Strokes that would follow. */
  follows: ReadonlySet<number>;
  group: number | null;
  onChoose: (indices: number[], more: boolean) => void;
  onGroup: (group: number, more: boolean) => void;
  onPoint: (index: number | null, x: number, y: number) => void;
  /** By how much the recording under the map goes nearer as well; null: all of it. */
  onZoom: (factor: number | null) => void;
}

/** Every stroke by how it sounds: dark to bright, short to long. Size is strength, ink the piece. */
export function SoundMap({
  map,
  source,
  pieces,
  chosen,
  at,
  follows,
  group,
  onChoose,
  onGroup,
  onPoint,
  onZoom,
}: Props) {
  const night = useWindow((state) => state.night);
  const [view, setView] = useState<MapView | null>(null);
  const [line, setLine] = useState<Point[]>([]);
  const [size, setSize] = useState<{ width: number; height: number }>({ width: 0, height: 0 });
  const whole = useMemo(() => fitted(map.brightness_hz, map.ring_s), [map]);
  const seen = view ?? whole;
  const pieceOf = useCallback((part: number) => pieces.get(map.parts[part]!.piece), [map, pieces]);

  const points = useCallback(
    (box: MapBox): Point[] =>
      map.brightness_hz.map((hz, index) => ({
        x: brightX(hz, seen, box),
        y: longY(map.ring_s[index]!, seen, box),
      })),
    [map, seen],
  );
  const labels = useCallback((box: MapBox) => placedLabels(map, seen, box), [map, seen]);

  const drawGround = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const box = boxOf(width, height);
      context.font = '12px "Recursive Variable", monospace';
      context.textBaseline = 'middle';
      context.textAlign = 'right';
      for (const s of LONG_TICKS_S) {
        const y = longY(s, seen, box);
        if (y < box.top || y > box.top + box.height) continue;
        context.fillStyle = look.faint;
        context.fillRect(box.left, y, box.width, 1);
        context.fillStyle = look.quiet;
        context.fillText(saidS(s), box.left - 8, y);
      }
      context.textAlign = 'center';
      for (const hz of BRIGHT_TICKS_HZ) {
        const x = brightX(hz, seen, box);
        if (x < box.left || x > box.left + box.width) continue;
        context.fillStyle = look.faint;
        context.fillRect(x, box.top, 1, box.height);
        context.fillStyle = look.quiet;
        context.fillText(saidHz(hz), x, box.top + box.height + 12);
      }
      context.fillStyle = look.ink;
      context.fillRect(box.left, box.top + box.height, box.width, 1.2);
      context.fillRect(box.left, box.top, 1.2, box.height);
      context.fillStyle = look.soft;
      context.textAlign = 'left';
      context.fillText('← dark', box.left, box.top + box.height + 27);
      context.fillText('↑ rings long', box.left + 6, 11);
      context.textAlign = 'right';
      context.fillText('bright →', box.left + box.width, box.top + box.height + 27);
      setSize((old) => (old.width === width && old.height === height ? old : { width, height }));
    },
    [night, seen],
  );

  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const box = boxOf(width, height);
      context.save();
      context.beginPath();
      context.rect(box.left, box.top - 16, box.width + RIGHT, box.height + 16);
      context.clip();
      map.groups.forEach((one, index) => {
        const piece = pieceOf(one.part);
        const colour = look.piece(piece?.ink ?? 'loop');
        const muted = map.parts[one.part]!.muted;
        context.beginPath();
        const corners = one.outline.map((corner) => ({
          x: brightX(corner.brightness_hz, seen, box),
          y: longY(corner.ring_s, seen, box),
        }));
        smooth(context, corners);
        context.globalAlpha = index === group ? 0.14 : 0.05;
        context.fillStyle = colour;
        context.fill();
        context.globalAlpha = muted ? 0.35 : index === group ? 1 : 0.7;
        context.strokeStyle = colour;
        context.lineWidth = index === group ? 2 : 1.2;
        context.setLineDash(muted ? [3, 4] : []);
        context.stroke();
        context.setLineDash([]);
        context.globalAlpha = 1;
      });
      points(box).forEach(({ x, y }, index) => {
        const part = map.part[index]!;
        const piece = pieceOf(part);
        const velocity = map.velocity[index]!;
        context.fillStyle = context.strokeStyle = look.piece(piece?.ink ?? 'loop');
        context.globalAlpha = (map.parts[part]!.muted ? 0.3 : 1) * (0.4 + 0.6 * (velocity / 127));
        noteHead(context, piece?.head ?? 'oval', x, y, headSize(velocity, 2.6, 7), map.alone[index]!);
        context.globalAlpha = 1;
        if (map.by_hand[index]) ring(context, look.ink, x, y, 10, []);
        else if (map.doubt[index]! >= DOUBTFUL) ring(context, look.ink, x, y, 10, [2, 3]);
        if (follows.has(index)) ring(context, look.ink, x, y, 13, [6, 3]);
        if (chosen.has(index) || index === at) {
          context.strokeStyle = look.ink;
          context.lineWidth = index === at ? 2 : 1.2;
          context.strokeRect(x - 11, y - 11, 22, 22);
        }
      });
      context.font = '600 12.5px "Recursive Variable", monospace';
      context.textBaseline = 'middle';
      context.textAlign = 'left';
      for (const label of labels(box)) {
        const one = map.groups[label.group]!;
        context.fillStyle = look.paper;
        context.globalAlpha = 0.85;
        context.fillRect(label.x - 3, label.y - 8, label.width + 6, 16);
        context.globalAlpha = map.parts[one.part]!.muted ? 0.5 : 1;
        context.fillStyle = look.piece(pieceOf(one.part)?.ink ?? 'loop');
        context.fillText(label.text, label.x, label.y);
        context.globalAlpha = 1;
      }
      context.restore();
      if (line.length > 1) {
        context.strokeStyle = look.ink;
        context.lineWidth = 1.4;
        context.setLineDash([4, 3]);
        context.beginPath();
        line.forEach((point, index) => context[index ? 'lineTo' : 'moveTo'](point.x, point.y));
        context.closePath();
        context.stroke();
        context.setLineDash([]);
      }
    },
    [night, map, seen, pieceOf, points, labels, chosen, at, follows, group, line],
  );

  const nearer = (factor: number) => {
    const box = boxOf(size.width, size.height);
    const about = at === null ? undefined : points(box)[at];
    const x = about?.x ?? box.left + box.width / 2;
    const y = about?.y ?? box.top + box.height / 2;
    setView(zoomed(seen, factor, x, y, box));
    onZoom(factor);
  };
  useCommands({
    closer: () => nearer(NEARER),
    farther: () => nearer(1 / NEARER),
    whole: () => {
      setView(null);
      onZoom(null);
    },
  });
  const happen = (effect: MapEffect, x: number, y: number) => {
    if (effect.kind === 'line') setLine(effect.line);
    else if (effect.kind === 'choose') onChoose(effect.indices, effect.more);
    else if (effect.kind === 'chooseGroup') onGroup(effect.group, effect.more);
    else onPoint(effect.index, x, y);
  };
  const handlers = useGesture<Lasso | null>(null, (state, input) => {
    const box = boxOf(input.width, input.height);
    const [next, effects] = drawAround(state, input, { points: points(box), labels: labels(box) });
    for (const effect of effects) happen(effect, input.x, input.y);
    return next;
  });
  return (
    <div
      className="sound-map"
      role="img"
      aria-label={`The ${map.part.length} strokes of ${source} by how they sound: dark to bright, short to long.`}
      data-testid="sound-map"
      {...handlers}
      onDoubleClick={() => setView(null)}
      onWheel={(event) => {
        const { left, top } = event.currentTarget.getBoundingClientRect();
        const box = boxOf(size.width, size.height);
        setView(
          zoomed(seen, event.deltaY > 0 ? 1.18 : 1 / 1.18, event.clientX - left, event.clientY - top, box),
        );
      }}
    >
      <Canvas draw={drawGround} />
      <Canvas draw={draw} />
      {view && (
        <button
          type="button"
          className="plain-act light whole-map"
          onPointerDown={(event) => event.stopPropagation()}
          onClick={() => setView(null)}
        >
          see all
        </button>
      )}
    </div>
  );
}

export const DOUBTFUL = 0.2;
const NEARER = 0.7;

function ring(
  context: CanvasRenderingContext2D,
  ink: string,
  x: number,
  y: number,
  radius: number,
  dash: number[],
): void {
  context.strokeStyle = ink;
  context.lineWidth = 1.2;
  context.setLineDash(dash);
  context.beginPath();
  context.arc(x, y, radius, 0, 2 * Math.PI);
  context.stroke();
  context.setLineDash([]);
}

/** A closed line through the middles between corners, rounded at each. */
function smooth(context: CanvasRenderingContext2D, corners: Point[]): void {
  if (corners.length < 3) return;
  const middle = (a: Point, b: Point): Point => ({ x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 });
  const first = middle(corners[corners.length - 1]!, corners[0]!);
  context.moveTo(first.x, first.y);
  corners.forEach((corner, index) => {
    const to = middle(corner, corners[(index + 1) % corners.length]!);
    context.quadraticCurveTo(corner.x, corner.y, to.x, to.y);
  });
  context.closePath();
}

const LETTER = 7.6;

/** The names of the sounds over their outlines, moved up or down where two would lie on each other. */
function placedLabels(map: SortMap, view: MapView, box: MapBox) {
  const taken: { x: number; y: number; width: number }[] = [];
  return map.groups.map((one, group) => {
    const text = `${one.name} ${one.hits}`;
    const width = text.length * LETTER;
    const ys = one.outline.map((corner) => longY(corner.ring_s, view, box));
    const middle = brightX(one.brightness_hz, view, box) - width / 2;
    const x = Math.min(Math.max(middle, box.left + 6), box.left + box.width - width - 2);
    let y = Math.min(Math.max(Math.min(...ys) - 10, box.top - 6), box.top + box.height - 10);
    const lies = () =>
      taken.some(
        (other) => x < other.x + other.width + 6 && other.x < x + width + 6 && Math.abs(other.y - y) < 16,
      );
    for (let tries = 0; tries < 14 && lies(); tries++) y += 16;
    taken.push({ x, y, width });
    return { x, y, width, text, group };
  });
}
