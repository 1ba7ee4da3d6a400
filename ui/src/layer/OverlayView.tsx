import { counted } from '../shell/counted';
import { useCallback, useState } from 'react';
import type { Piece, Schema } from '../api/client';
import { useWindow } from '../state/window';
import { useGesture } from '../stage/useGesture';
import { Canvas, type Draw } from '../stage/Canvas';
import { inks } from '../stage/heads';
import { dragOverlay, type OverlayDrag } from './overlayDrag';

const LEFT = 40;
const RIGHT = 16;
const TOP = 30;
const BOTTOM = 28;
const GRID_MS = [-5, 0, 5, 10, 20, 30, 40];

interface Props {
  piece: Piece;
  found: Schema['OverlayColumns'];
  layerName: string;
  rateHz: number;
  onOffset: (bySamples: number) => void;
}

/**
 * Why a lock is what it is: all hits laid over each other at their attack, their middle and their spread, and
 * the layer over them.
 */
export function OverlayView({ piece, found, layerName, rateHz, onOffset }: Props) {
  const night = useWindow((state) => state.night);
  const [dragged, setDragged] = useState(0);
  const from = found.time_ms[0] ?? -6;
  const to = found.time_ms[found.time_ms.length - 1] ?? 45;
  // The attack is what matters: the time axis is twice as wide before 10 ms as after.
  const share = useCallback(
    (ms: number) => {
      const bent = (at: number) => (at <= 10 ? at : 10 + (at - 10) / 2);
      return (bent(ms) - bent(from)) / (bent(to) - bent(from));
    },
    [from, to],
  );
  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const wide = width - LEFT - RIGHT;
      const middle = TOP + (height - TOP - BOTTOM) / 2;
      const half = (height - TOP - BOTTOM) / 2;
      const x = (ms: number) => LEFT + share(ms) * wide;
      const y = (value: number) => middle - value * half * 0.96;
      context.font = '12px "Recursive Variable", monospace';
      context.textBaseline = 'middle';
      context.textAlign = 'center';
      for (const ms of GRID_MS) {
        context.fillStyle = ms ? look.faint : look.ink;
        context.fillRect(x(ms) - 0.5, TOP, ms ? 1 : 1.5, height - TOP - BOTTOM);
        context.fillStyle = look.quiet;
        context.fillText(`${ms}`.replace('-', '−') + (ms === 40 ? ' ms' : ''), x(ms), height - BOTTOM / 2);
      }
      context.fillStyle = look.rule;
      context.fillRect(LEFT, middle, wide, 1);
      const colour = look.piece(piece.ink);
      context.fillStyle = colour;
      context.globalAlpha = 0.22;
      context.beginPath();
      found.time_ms.forEach((ms, i) => context[i ? 'lineTo' : 'moveTo'](x(ms), y(found.high[i]!)));
      for (let i = found.time_ms.length - 1; i >= 0; i--)
        context.lineTo(x(found.time_ms[i]!), y(found.low[i]!));
      context.fill();
      context.globalAlpha = 1;
      // The layer as a thin whole line under the middle of the hits: dashed, a fast swing dissolves into
      // dots.
      context.strokeStyle = look.ink;
      context.lineWidth = 1;
      context.save();
      context.beginPath();
      context.rect(LEFT, 0, wide, height);
      context.clip();
      context.beginPath();
      const shift = (1000 * dragged) / rateHz;
      found.time_ms.forEach((ms, i) => context[i ? 'lineTo' : 'moveTo'](x(ms + shift), y(found.layer[i]!)));
      context.globalAlpha = 0.7;
      context.stroke();
      context.globalAlpha = 1;
      context.restore();
      context.strokeStyle = colour;
      context.lineWidth = 2.4;
      context.lineJoin = 'round';
      context.beginPath();
      found.time_ms.forEach((ms, i) => context[i ? 'lineTo' : 'moveTo'](x(ms), y(found.median[i]!)));
      context.stroke();
      context.textAlign = 'left';
      context.fillStyle = colour;
      context.fillText(
        `${counted(found.hits, 'hit')}, their middle and the half of them around it`,
        LEFT + 4,
        14,
      );
      context.fillStyle = look.ink;
      context.textAlign = 'right';
      const moved = dragged ? `, ${dragged > 0 ? '+' : ''}${dragged} samples`.replace('-', '−') : '';
      const said = `${layerName}${moved}`;
      context.fillText(said, width - RIGHT, 14);
      context.fillRect(width - RIGHT - context.measureText(said).width - 34, 14, 26, 1);
    },
    [night, piece, found, layerName, share, dragged, rateHz],
  );
  const handlers = useGesture<OverlayDrag | null>(null, (drag, { kind, x, width }) => {
    const pxPerMs = (share(1) - share(0)) * (width - LEFT - RIGHT);
    const [next, effects] = dragOverlay(drag, { kind, x }, rateHz / 1000 / pxPerMs);
    for (const effect of effects) {
      if (effect.kind === 'put') onOffset(effect.bySamples);
      else setDragged(effect.bySamples);
    }
    return next;
  });
  return (
    <div className="stage grip-along" data-testid="overlay" {...handlers}>
      <Canvas
        draw={draw}
        label={`All ${counted(found.hits, 'hit')} at their attack, and ${layerName} over them`}
      />
    </div>
  );
}
