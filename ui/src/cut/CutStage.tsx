import { useCallback, useMemo, useRef, useState } from 'react';
import type { Document, Piece, Source } from '../api/client';
import { knownTempo, timeToX } from '../stage/axes';
import { Canvas, type Draw } from '../stage/Canvas';
import { drawTimeGround, type Box } from '../stage/ground';
import { inks, noteHead } from '../stage/heads';
import { onLineOrTile } from '../stage/redraws';
import { useGesture } from '../stage/useGesture';
import { useWheel } from '../stage/useWheel';
import { drawWaveform } from '../stage/waveform';
import { useWindow } from '../state/window';
import { dragCut, fadesOf, type Drag, type Scene, type SliceLine } from './cutDrag';

const LEFT = 16;
const TOP = 46;
const UNDER = 34;

const boxOf = (width: number, height: number): Box => ({
  left: LEFT,
  top: TOP,
  width: width - 2 * LEFT,
  height: Math.max(height - TOP - UNDER, 40),
});

interface Props {
  source: Source;
  document: Document;
  lines: SliceLine[];
  chosen: number;
  pieces: Map<string, Piece>;
  lengthS: number;
  onChoose: (index: number) => void;
  onPut: (index: number, timeS: number, free: boolean) => Promise<boolean>;
  onFade: (index: number, which: 'in' | 'out', ms: number) => void;
}

/** A source with its cuts: edges and the fades of the chosen slice are dragged on the waveform. */
export function CutStage(props: Props) {
  const { source, document, lines, chosen, pieces, lengthS, onChoose, onPut, onFade } = props;
  const night = useWindow((state) => state.night);
  const view = useWindow((state) => state.view);
  const grid = useWindow((state) => state.grid);
  const tempo = grid ? knownTempo(document) : null;
  const [shown, setShown] = useState<{ of: SliceLine[]; drag: Drag } | null>(null);
  const drag = shown?.of === lines ? shown.drag : null;
  // What is dragged is seen where it is held.
  const seen = useMemo(() => (drag ? withDrag(lines, drag) : lines), [lines, drag]);
  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const box = boxOf(width, height);
      const x = (timeS: number) => timeToX(timeS, view, box.left, box.width);
      context.textBaseline = 'middle';
      context.font = '12px "Recursive Variable", monospace';
      drawTimeGround(context, look, { view, loop: null, looping: false, tempo }, [box]);
      context.save();
      context.beginPath();
      context.rect(box.left - 8, 0, box.width + 16, height);
      context.clip();
      const line = seen[chosen];
      if (line) {
        context.fillStyle = look.shade;
        context.fillRect(x(line.start_s), box.top, x(line.end_s) - x(line.start_s), box.height);
      }
      drawWaveform(context, source, view, box, look.soft, true);
      for (const [index, one] of seen.entries()) {
        const [from, to] = [x(one.start_s), x(one.end_s)];
        if (to < box.left - 20 || from > box.left + box.width + 20) continue;
        const here = index === chosen;
        context.fillStyle = look.ink;
        context.fillRect(from - (here ? 1 : 0.5), box.top - 16, here ? 2 : 1, box.height + 16);
        if (to - from > 13) {
          const piece = pieces.get(one.piece);
          context.fillStyle = context.strokeStyle = look.piece(piece?.ink ?? 'loop');
          if (one.struck) noteHead(context, piece?.head ?? 'oval', from + 9, box.top - 10, 5.4);
        }
        context.textAlign = 'left';
        context.font = `${here ? 700 : 400} 12px "Recursive Variable", monospace`;
        context.fillStyle = here ? look.ink : look.quiet;
        if (to - from > 9 * String(index + 1).length)
          context.fillText(String(index + 1), from + 2, box.top + box.height + 14);
        if (one.by_hand) {
          context.strokeStyle = look.ink;
          context.lineWidth = 1.2;
          context.beginPath();
          context.arc(from, box.top - 16, 4, 0, 2 * Math.PI);
          context.stroke();
        }
      }
      if (line) {
        const { inS, outS } = fadesOf(seen, chosen);
        const bottom = box.top + box.height;
        context.strokeStyle = look.ink;
        context.lineWidth = 1.6;
        context.beginPath();
        context.moveTo(x(line.start_s), bottom);
        context.lineTo(x(inS), box.top);
        context.lineTo(x(outS), box.top);
        context.lineTo(x(line.end_s), line.fade_out_ms === null ? box.top : bottom);
        context.stroke();
        context.fillStyle = look.ink;
        for (const [at, side] of [
          [inS, 1],
          [outS, -1],
        ] as const) {
          context.beginPath();
          context.moveTo(x(at), box.top);
          context.lineTo(x(at), box.top + 12);
          context.lineTo(x(at) + side * 9, box.top);
          context.fill();
        }
      }
      context.fillStyle = look.ink;
      context.fillRect(x(useWindow.getState().playheadS) - 0.75, box.top - 4, 1.5, box.height + 8);
      context.restore();
    },
    [night, view, tempo, source, seen, chosen, pieces],
  );
  const handlers = useGesture<Drag | null>(null, (state, input) => {
    const scene: Scene = { lines, chosen, view, box: boxOf(input.width, input.height) };
    const [next, effects] = dragCut(state, input, scene);
    for (const effect of effects) {
      if (effect.kind === 'choose') onChoose(effect.index);
      if (effect.kind === 'line') useWindow.getState().set({ playheadS: Math.min(effect.timeS, lengthS) });
      if (effect.kind === 'show') setShown(effect.drag ? { of: lines, drag: effect.drag } : null);
      if (effect.kind === 'fade') onFade(effect.index, effect.which, effect.ms);
      // It stays where it was let go of until it is there.
      if (effect.kind === 'put')
        void onPut(effect.index, effect.timeS, effect.free).then(() => setShown(null));
    }
    return next;
  });
  const holder = useRef<HTMLDivElement | null>(null);
  useWheel(holder, boxOf, lengthS);
  return (
    <div
      className="cut-stage"
      role="img"
      aria-label={`${source.name}, cut into ${lines.length} slices`}
      data-testid="cut-stage"
      ref={holder}
      {...handlers}
    >
      <Canvas draw={draw} on={onLineOrTile} />
    </div>
  );
}

/** Slices as they are while an edge or a fade is dragged. */
function withDrag(lines: SliceLine[], { held, timeS }: Drag): SliceLine[] {
  return lines.map((line, index) => {
    if (held.kind === 'edge') {
      if (index === held.index) return { ...line, start_s: Math.min(timeS, line.end_s) };
      if (index === held.index - 1) return { ...line, end_s: Math.max(timeS, line.start_s) };
    }
    if (index !== held.index) return line;
    if (held.kind === 'fadeIn') return { ...line, fade_in_ms: Math.max(1000 * (timeS - line.start_s), 0) };
    if (held.kind === 'fadeOut') return { ...line, fade_out_ms: Math.max(1000 * (line.end_s - timeS), 0) };
    return line;
  });
}
