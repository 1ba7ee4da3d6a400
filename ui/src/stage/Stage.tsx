import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import type { Decisions, Document, Part, Piece, Suspect } from '../api/client';
import { useWindow } from '../state/window';
import { clock, knownTempo, timeToX } from './axes';
import { Canvas, type Draw } from './Canvas';
import { drawTimeGround } from './ground';
import { inks } from './heads';
import { onTile } from './tiles';
import { useWheel } from './useWheel';
import { drawWaveforms } from './waveform';
import type { CurvePoint } from './curve';
import { drawField } from './field';
import { drawGaps, type GapPut, type Gaps } from './gaps';
import { IDLE, step, type BoxPx, type Effect, type Gesture, type Hit } from './gestures';
import { pointAt, type Pointed, type Scene } from './hit';
import { boxesOf, TOP, type Mode } from './layout';
import { drawNotes } from './notes';
import { useGesture } from './useGesture';

const NO_POINTS: CurvePoint[] = [];

/** Ask for drawing anew when the play line or the pointer moves. */
export const onHeads = (redraw: () => void) =>
  useWindow.subscribe(
    (now, old) => (now.playheadS !== old.playheadS || now.pointerS !== old.pointerS) && redraw(),
  );

type Grip = 'wave' | 'line' | 'point' | 'along';

const gripOf = ({ gap, onLine, row }: Pointed): Grip =>
  gap ? (gap.edge === 'down' ? 'line' : 'along') : onLine ? 'line' : row !== null ? 'point' : 'wave';

interface Props {
  document: Document;
  part: Part;
  piece: Piece;
  lengthS: number;
  decisions: Decisions | null;
  mode: Mode;
  gapDb?: number;
  onThreshold?: (levelDb: number, done: boolean) => void;
  /** The curve that the threshold follows, and how it is drawn anew: all its points. */
  curve?: CurvePoint[];
  onCurve?: (points: CurvePoint[], done: boolean) => void;
  /** A drag of the threshold or its curve is given up. */
  onForget?: () => void;
  /** A hit is let go at another moment; `free`: it stays right there, else it snaps to the attack. */
  onHit?: (hit: Hit, toS: number, free: boolean) => Promise<boolean>;
  /** Whose stroke a pointed candidate may be, and when. */
  suspect?: Suspect | null;
  /** A stretch that is looked at; what lies outside is shaded. */
  span?: { start_s: number; end_s: number } | null;
  /** Whether a hand alone decides here, and no threshold. */
  byHandOnly?: boolean;
  onPoint?: (row: number | null, x: number, y: number) => void;
  /** How far the recording is turned down, where it is. */
  gaps?: Gaps | null;
  /** A corner of a gap is let go somewhere else. Without it the gaps are only shown. */
  onGap?: (put: GapPut) => Promise<boolean>;
}

/**
 * One part large: its waveform, and on the same time axis the hit field or the notes; beside them the ladder.
 */
export function Stage({
  document,
  part,
  piece,
  lengthS,
  decisions,
  mode,
  gapDb = 0,
  onThreshold,
  curve = NO_POINTS,
  onCurve,
  onForget,
  onHit,
  suspect = null,
  span = null,
  byHandOnly = false,
  onPoint,
  gaps = null,
  onGap,
}: Props) {
  const night = useWindow((state) => state.night);
  const view = useWindow((state) => state.view);
  const grid = useWindow((state) => state.grid);
  const loop = useWindow((state) => state.loop);
  const looping = useWindow((state) => state.looping);
  const selectedS = useWindow((state) => state.selectedS);
  const chosenS = useWindow((state) => state.chosenS);
  const drawing = useWindow((state) => state.drawing);
  const [grip, setGrip] = useState<Grip>('wave');
  const [box, setBox] = useState<BoxPx | null>(null);
  // A hit on its way is shown until other decisions come, so that it does not jump back when it is let go.
  const [moving, setMoving] = useState<{ standsS: number; toS: number; of: Decisions | null } | null>(null);
  const [gapMoving, setGapMoving] = useState<{ put: GapPut; of: Gaps | null } | null>(null);
  const gapsHeld = Boolean(onGap);
  const sources = useMemo(
    () => part.sources.map((id) => document.sources?.[id]).filter((s) => s !== undefined),
    [part, document],
  );

  // The ground: loop, grid and waveform. It stands still while a threshold moves, and is not drawn again
  // then.
  const tempo = grid ? knownTempo(document) : null;
  const drawGround = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const { wave, field } = boxesOf(width, height, mode);
      context.font = '12px "Recursive Variable", monospace';
      context.textBaseline = 'middle';
      drawTimeGround(context, look, { view, loop, looping, tempo }, [wave, field]);
      drawWaveforms(context, sources, view, wave, look.ink);
    },
    [night, view, tempo, loop, looping, sources, mode],
  );
  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const boxes = boxesOf(width, height, mode);
      context.font = '12px "Recursive Variable", monospace';
      context.textBaseline = 'middle';
      if (gaps) {
        const put = gapMoving?.of === gaps ? gapMoving.put : null;
        drawGaps(context, look, { gaps, view, box: boxes.wave, lengthS, moving: put, held: gapsHeld });
      }
      if (mode === 'notes') return drawNotes(context, look, boxes.field, view, piece, decisions);
      const onItsWay = moving?.of === decisions ? moving : null;
      const shown = {
        curve,
        drawing,
        byHandOnly,
        span,
        selectedS,
        chosenS,
        suspect,
        gapDb,
        moving: onItsWay,
      };
      drawField(context, { boxes, view, look, piece, decisions, ...shown });
    },
    [
      night,
      view,
      selectedS,
      chosenS,
      decisions,
      piece,
      mode,
      gapDb,
      curve,
      drawing,
      byHandOnly,
      suspect,
      span,
      moving,
      gaps,
      gapMoving,
      gapsHeld,
      lengthS,
    ],
  );
  const drawHead = useCallback<Draw>(
    (context, width, height) => {
      const { wave } = boxesOf(width, height, mode);
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
    [night, view, mode],
  );

  const holder = useRef<HTMLDivElement | null>(null);
  const axis = useCallback((width: number, height: number) => boxesOf(width, height, mode).wave, [mode]);
  useWheel(holder, axis, lengthS);

  const doAll = (effects: Effect[]) => {
    const { set } = useWindow.getState();
    for (const effect of effects) {
      switch (effect.kind) {
        case 'point':
          set({ pointerS: effect.at?.timeS ?? null });
          if (effect.at) setGrip(gripOf(effect.at));
          onPoint?.(effect.at?.row ?? null, effect.at?.x ?? 0, effect.at?.y ?? 0);
          break;
        case 'select':
          set({ selectedS: effect.timeS, playheadS: effect.timeS, chosenS: [] });
          break;
        case 'go':
          set({ playheadS: effect.timeS, selectedS: null, chosenS: [], loop: null, looping: false });
          break;
        case 'threshold':
          onThreshold?.(effect.levelDb, effect.ended);
          break;
        case 'curve':
          onCurve?.(effect.points, effect.ended);
          break;
        case 'forget':
          onForget?.();
          break;
        case 'hit':
          setMoving({ standsS: effect.hit.standsS, toS: effect.toS, of: decisions });
          if (effect.ended)
            void onHit?.(effect.hit, effect.toS, effect.free).then((kept) => kept || setMoving(null));
          break;
        case 'gap':
          setGapMoving({ put: effect.put, of: gaps });
          if (effect.ended) void onGap?.(effect.put).then((kept) => kept || setGapMoving(null));
          break;
        case 'gapBack':
          setGapMoving(null);
          break;
        case 'hitBack':
          setMoving(null);
          break;
        case 'box':
          setBox(effect.box);
          break;
        case 'choose':
          set({ chosenS: effect.timesS, selectedS: null });
          break;
        case 'loop':
          set({ loop: effect.loop, looping: effect.looping });
          break;
      }
    }
  };
  const handlers = useGesture<Gesture>(IDLE, (gesture, { kind, x, y, width, height, alt }) => {
    const boxes = boxesOf(width, height, mode);
    const scene: Scene = {
      mode,
      boxes,
      view,
      lengthS,
      decisions,
      curve,
      drawing,
      byHandOnly,
      loop,
      looping,
      chosenS,
      gaps: gapsHeld ? gaps : null,
      tempo,
    };
    const at = pointAt(scene, x, y);
    if (kind === 'move' && gesture !== IDLE) useWindow.getState().set({ pointerS: at.timeS });
    const [next, effects] = step(gesture, { kind, at, free: alt }, scene);
    doAll(effects);
    return next;
  });
  useEffect(() => () => useWindow.getState().set({ pointerS: null }), []);

  const stretch = `${clock(view.startS)} to ${clock(view.startS + view.spanS)}`;
  return (
    <div ref={holder} className={`stage grip-${grip}`} data-testid="stage" {...handlers}>
      <Canvas draw={drawGround} on={onTile} />
      <Canvas
        draw={draw}
        label={`${piece.name}: waveform and ${mode === 'find' ? 'hit field' : 'notes'} from ${stretch}`}
      />
      <Canvas draw={drawHead} on={onHeads} />
      {box && <div className="choosing" style={box} />}
    </div>
  );
}
