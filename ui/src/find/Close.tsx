import { useCallback } from 'react';
import type { Source } from '../api/client';
import { useWindow } from '../state/window';
import { timeToX } from '../stage/axes';
import { Canvas, type Draw } from '../stage/Canvas';
import { inks } from '../stage/heads';
import { onTile } from '../stage/tiles';
import { drawWaveform } from '../stage/waveform';

interface Props {
  source: Source;
  ink: string;
  /** The moment that is looked at, and where a stroke of this source was. */
  aboutS: number;
  markS: number;
  reachS: number;
  label: string;
}

/** A source close up around one moment, as loud as it gets there. */
export function Close({ source, ink, aboutS, markS, reachS, label }: Props) {
  const night = useWindow((state) => state.night);
  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const view = { startS: aboutS - reachS, spanS: 2 * reachS };
      context.fillStyle = look.faint;
      context.fillRect(0, height / 2, width, 1);
      const box = { left: 0, top: 2, width, height: height - 4 };
      drawWaveform(context, source, view, box, look.piece(ink), true);
      context.fillStyle = look.ink;
      context.fillRect(timeToX(markS, view, 0, width) - 0.75, 0, 1.5, height);
    },
    [night, source, ink, aboutS, markS, reachS],
  );
  return <Canvas className="close-up" draw={draw} on={onTile} label={label} />;
}
