import { useCallback, useMemo, useRef } from 'react';
import type { Document, Piece } from '../api/client';
import { firstAt, knownTempo, timeToX, xToTime } from '../stage/axes';
import { Canvas, type Draw } from '../stage/Canvas';
import { drawTimeGround, type Box } from '../stage/ground';
import { headSize, inks, noteHead } from '../stage/heads';
import { onLineOrTile } from '../stage/redraws';
import { useGesture } from '../stage/useGesture';
import { useWheel } from '../stage/useWheel';
import { drawWaveforms } from '../stage/waveform';
import { useWindow } from '../state/window';
import { DOUBTFUL } from './SoundMap';
import type { SortMap } from './useSort';

const LEFT = 54;
const RIGHT = 14;
const GAP = 13;

const waveBox = (width: number, height: number): Box => ({
  left: LEFT,
  top: 16,
  width: width - LEFT - RIGHT,
  height: Math.max(height - 16 - 6.4 * GAP - 14, 24),
});
const staffTop = (height: number) => height - 5.2 * GAP - 8;

interface Props {
  map: SortMap;
  headId: string;
  document: Document;
  pieces: Map<string, Piece>;
  lengthS: number;
  chosen: ReadonlySet<number>;
  at: number | null;
  follows: ReadonlySet<number>;
  onChoose: (indices: number[], more: boolean) => void;
}

/** The loop itself: its waveform, and every stroke on a large staff; what is chosen above is marked here. */
export function StrokesOnStaff({
  map,
  headId,
  document,
  pieces,
  lengthS,
  chosen,
  at,
  follows,
  onChoose,
}: Props) {
  const night = useWindow((state) => state.night);
  const view = useWindow((state) => state.view);
  const grid = useWindow((state) => state.grid);
  const loop = useWindow((state) => state.loop);
  const looping = useWindow((state) => state.looping);
  const tempo = grid ? knownTempo(document) : null;
  const head = document.parts?.[headId];
  const sources = useMemo(
    () => (head?.sources ?? []).map((id) => document.sources?.[id]).filter((source) => source !== undefined),
    [head, document],
  );
  const yOf = useCallback(
    (index: number, height: number) =>
      staffTop(height) + (4 - (pieces.get(map.parts[map.part[index]!]!.piece)?.staff ?? 2)) * GAP,
    [map, pieces],
  );

  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const wave = waveBox(width, height);
      const top = staffTop(height);
      const staff = { ...wave, top, height: 4 * GAP };
      context.font = '12px "Recursive Variable", monospace';
      context.textBaseline = 'middle';
      drawTimeGround(context, look, { view, loop, looping, tempo }, [wave, staff]);
      drawWaveforms(context, sources, view, wave, look.soft);
      context.fillStyle = look.rule;
      for (let line = 0; line < 5; line++) context.fillRect(wave.left, top + line * GAP, wave.width, 1);
      context.save();
      context.beginPath();
      context.rect(wave.left - 8, 0, wave.width + 16, height);
      context.clip();
      const margin = (view.spanS * 12) / wave.width;
      const to = firstAt(map.time_s, view.startS + view.spanS + margin);
      for (let i = firstAt(map.time_s, view.startS - margin); i < to; i++) {
        const part = map.parts[map.part[i]!]!;
        const piece = pieces.get(part.piece);
        const x = timeToX(map.time_s[i]!, view, wave.left, wave.width);
        const y = yOf(i, height);
        context.fillStyle = context.strokeStyle = look.piece(piece?.ink ?? 'loop');
        context.globalAlpha = (part.muted ? 0.25 : 1) * (0.4 + 0.6 * (map.velocity[i]! / 127));
        const size = headSize(map.velocity[i]!, 3, 6.4);
        noteHead(context, piece?.head ?? 'oval', x, y, size);
        context.lineWidth = 1.2;
        context.beginPath();
        context.moveTo(x + size, y);
        context.lineTo(x + size, y - 20);
        context.stroke();
        articulationSign(context, map.groups[map.group[i]!]?.articulation ?? null, x, y - 12);
        context.globalAlpha = 1;
        context.strokeStyle = look.ink;
        context.lineWidth = 1.2;
        if (map.by_hand[i] || map.doubt[i]! >= DOUBTFUL) {
          context.setLineDash(map.by_hand[i] ? [] : [2, 3]);
          context.beginPath();
          context.arc(x, y, 10, 0, 2 * Math.PI);
          context.stroke();
          context.setLineDash([]);
        }
        if (follows.has(i)) {
          context.setLineDash([6, 3]);
          context.beginPath();
          context.arc(x, y, 13, 0, 2 * Math.PI);
          context.stroke();
          context.setLineDash([]);
        }
        if (chosen.has(i) || i === at) {
          context.lineWidth = i === at ? 2 : 1.2;
          context.strokeRect(x - 11, y - 11, 22, 22);
        }
      }
      context.fillStyle = look.ink;
      context.fillRect(
        timeToX(useWindow.getState().playheadS, view, wave.left, wave.width) - 0.75,
        8,
        1.5,
        height - 12,
      );
      context.restore();
    },
    [night, view, tempo, loop, looping, sources, map, pieces, yOf, chosen, at, follows],
  );

  const handlers = useGesture<null>(null, (_, input) => {
    if (input.kind !== 'down') return null;
    const wave = waveBox(input.width, input.height);
    const found = map.time_s.reduce<{ index: number | null; away: number }>(
      (best, timeS, index) => {
        const x = timeToX(timeS, view, wave.left, wave.width);
        const away = Math.hypot(x - input.x, yOf(index, input.height) - input.y);
        return away < best.away ? { index, away } : best;
      },
      { index: null, away: 13 },
    );
    if (found.index !== null) onChoose([found.index], input.shift);
    else
      useWindow
        .getState()
        .set({ playheadS: Math.min(Math.max(xToTime(input.x, view, wave.left, wave.width), 0), lengthS) });
    return null;
  });
  const holder = useRef<HTMLDivElement | null>(null);
  useWheel(holder, waveBox, lengthS);
  return (
    <div
      className="strokes-on-staff"
      role="img"
      aria-label="The source's waveform, and its strokes on a staff"
      data-testid="sort-staff"
      ref={holder}
      {...handlers}
    >
      <Canvas draw={draw} on={onLineOrTile} />
    </div>
  );
}

/** How a hat stands over its stroke: a circle open, half a circle half open, a plus shut by the foot. */
function articulationSign(context: CanvasRenderingContext2D, way: string | null, x: number, y: number): void {
  context.lineWidth = 1.2;
  context.beginPath();
  if (way === 'open' || way === 'half') context.arc(x, y, 3, 0, 2 * Math.PI);
  if (way === 'half') {
    context.moveTo(x, y - 3);
    context.lineTo(x, y + 3);
  }
  if (way === 'pedal') {
    context.moveTo(x - 3, y);
    context.lineTo(x + 3, y);
    context.moveTo(x, y - 3);
    context.lineTo(x, y + 3);
  }
  context.stroke();
}
