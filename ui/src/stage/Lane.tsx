import { useCallback, useMemo, useState } from 'react';
import type { Source } from '../api/client';
import { useWindow } from '../state/window';
import { clock } from './axes';
import { Canvas, type Draw } from './Canvas';
import { inks } from './heads';
import { onTile } from './tiles';
import { drawWaveform } from './waveform';
import { dragClip, type ClipDrag } from './clipDrag';
import { useGesture } from './useGesture';

interface Props {
  source: Source;
  lengthS: number;
  ink: string;
  /** Where clips of other sources begin and end: a dragged clip snaps there. */
  edgesS: readonly number[];
  /** Put a clip elsewhere on the time line; without it, nothing is dragged. */
  onPut?: (index: number, startS: number) => Promise<boolean>;
}

/** A whole source as one small waveform on the session's time line; its clips are dragged along it. */
export function Lane({ source, lengthS, ink, edgesS, onPut }: Props) {
  const night = useWindow((state) => state.night);
  // A clip on its way is shown there until the source comes as it is then.
  const [shown, setShown] = useState<{ of: Source; index: number; startS: number } | null>(null);
  const onItsWay = shown?.of === source ? shown : null;
  const drawn = useMemo(
    () =>
      onItsWay
        ? {
            ...source,
            clips: source.clips.map((clip, index) =>
              index === onItsWay.index ? { ...clip, start_s: onItsWay.startS } : clip,
            ),
          }
        : source,
    [source, onItsWay],
  );
  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      context.fillStyle = look.faint;
      context.fillRect(0, height / 2, width, 1);
      const box = { left: 0, top: 2, width, height: height - 4 };
      drawWaveform(context, drawn, { startS: 0, spanS: lengthS }, box, look.piece(ink));
    },
    [drawn, lengthS, ink, night],
  );
  const handlers = useGesture<ClipDrag | null>(null, (drag, { kind, x, width, alt }) => {
    if (!onPut) return null;
    const [next, effects] = dragClip(
      drag,
      { kind, x, free: alt },
      { width, lengthS, clips: source.clips, edgesS },
    );
    for (const effect of effects) {
      if (effect.kind === 'back') setShown(null);
      else setShown({ of: source, index: effect.index, startS: effect.startS });
      if (effect.kind === 'put')
        void onPut(effect.index, effect.startS).then((kept) => kept || setShown(null));
    }
    return next;
  });
  return (
    <span className={`lane ${onPut ? 'can-move' : ''}`} data-testid="lane" {...handlers}>
      <Canvas draw={draw} on={onTile} label={`Waveform of ${source.name}`} />
      {onItsWay && <span className="lane-says number">{clock(onItsWay.startS, 3)}</span>}
    </span>
  );
}
