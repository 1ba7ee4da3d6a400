import { useCallback } from 'react';
import type { Source } from '../api/client';
import { useWindow } from '../state/window';
import { Canvas, type Draw } from './Canvas';
import { inks } from './heads';
import { onTile } from './tiles';
import { drawWaveform } from './waveform';

/** A whole source as one small waveform on the session's time line. */
export function Lane({ source, lengthS, ink }: { source: Source; lengthS: number; ink: string }) {
  const night = useWindow((state) => state.night);
  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      context.fillStyle = look.faint;
      context.fillRect(0, height / 2, width, 1);
      drawWaveform(
        context,
        source,
        { startS: 0, spanS: lengthS },
        { left: 0, top: 2, width, height: height - 4 },
        look.piece(ink),
      );
    },
    [source, lengthS, ink, night],
  );
  return <Canvas className="lane" draw={draw} on={onTile} label={`Waveform of ${source.name}`} />;
}
