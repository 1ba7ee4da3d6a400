import { useCallback, useMemo } from 'react';
import type { Document } from '../api/client';
import { timeToX } from '../stage/axes';
import { Canvas, type Draw } from '../stage/Canvas';
import { inks } from '../stage/heads';
import { onTile } from '../stage/tiles';
import { onHeads } from '../stage/Stage';
import { drawWaveforms } from '../stage/waveform';
import { useWindow } from '../state/window';

const [LEFT, RIGHT] = [46, 16];
const LEAST_DB = 6; // what the scale shows at least

/** What dynamics takes, hanging over the waveform on the time axis. */
export function TurnedDown({
  document,
  sourceIds,
  ink,
  down,
}: {
  document: Document;
  sourceIds: readonly string[];
  ink: string;
  down: { db: number[]; startS: number; endS: number } | null;
}) {
  const night = useWindow((state) => state.night);
  const view = useWindow((state) => state.view);
  const sources = useMemo(
    () => sourceIds.map((id) => document.sources?.[id]).filter((one) => one !== undefined),
    [sourceIds, document],
  );
  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const box = { left: LEFT, top: 6, width: width - LEFT - RIGHT, height: height - 12 };
      drawWaveforms(context, sources, view, box, look.soft);
      if (!down?.db.length) return;
      const most = Math.max(LEAST_DB, ...down.db);
      const half = box.height * 0.5;
      const step = (down.endS - down.startS) / down.db.length;
      context.fillStyle = look.piece(ink);
      context.globalAlpha = 0.3;
      context.beginPath();
      const x = (timeS: number) => timeToX(timeS, view, box.left, box.width);
      context.moveTo(x(down.startS), box.top);
      down.db.forEach((db, k) =>
        context.lineTo(x(down.startS + (k + 0.5) * step), box.top + (db / most) * half),
      );
      context.lineTo(x(down.endS), box.top);
      context.fill();
      context.globalAlpha = 1;
      context.fillStyle = look.quiet;
      context.font = '12px "Recursive Variable", monospace';
      context.textAlign = 'right';
      context.textBaseline = 'middle';
      context.fillText('0', LEFT - 8, box.top + 2);
      context.fillText(`−${most.toFixed(0)}`, LEFT - 8, box.top + half);
    },
    [night, view, sources, down, ink],
  );
  const drawHead = useCallback<Draw>(
    (context, width, height) => {
      const { playheadS } = useWindow.getState();
      const x = timeToX(playheadS, view, LEFT, width - LEFT - RIGHT);
      if (x < LEFT || x > width - RIGHT) return;
      context.fillStyle = inks(night).ink;
      context.fillRect(x - 1, 0, 2, height);
    },
    [night, view],
  );
  const most = down?.db.length ? Math.max(...down.db) : 0;
  return (
    <div className="turned-down">
      <Canvas
        draw={draw}
        on={onTile}
        label={`Waveform, and what dynamics takes: up to ${most.toFixed(1)} dB`}
      />
      <Canvas draw={drawHead} on={onHeads} />
    </div>
  );
}
