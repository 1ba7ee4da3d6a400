import { useCallback, useMemo, useState, type KeyboardEvent } from 'react';
import type { Piece } from '../api/client';
import { useWindow } from '../state/window';
import { decibels } from '../stage/axes';
import { useGesture } from '../stage/useGesture';
import { Canvas, type Draw } from '../stage/Canvas';
import { headSize, inks, noteHead } from '../stage/heads';
import { dragCurve, without, withPoint, type CurveDrag, type CurvePlaces } from './curveDrag';
import type { Changes, Columns } from './useShape';

const LABEL =
  'Velocity over strength. Arrow keys choose a point and move it up and down; with Alt sideways; ' +
  'Delete takes it out.';

const LEFT = 26;
const RIGHT = 10;
const TOP = 10;
const BOTTOM = 34;
const STARTS = [
  ['played', 'Played', 'keeps the played ratio'],
  ['closer', 'Closer', 'brings soft and hard nearer together'],
  ['wider', 'Wider', 'draws them further apart'],
  ['straight', 'Straight', 'spreads decibels evenly'],
  ['even', 'Even', 'makes all equally strong'],
] as const;

interface Props {
  piece: Piece;
  columns: Columns;
  move: (changes: Changes) => void;
  done: (changes: Changes) => Promise<void>;
  leave: () => void;
}

/** From strength to velocity: the curve, drawn over the strokes that the part itself shows. */
export function StrengthCurve({ piece, columns, move, done, leave }: Props) {
  const night = useWindow((state) => state.night);
  const [at, setAt] = useState<number | null>(null);
  const points = columns.curve;
  const strengths = useMemo(
    () => columns.strength_db.filter((level): level is number => level !== null).sort((a, b) => a - b),
    [columns.strength_db],
  );
  // A range that does not jump while points are dragged: the strokes' own, with room around.
  const [low, high] = useMemo(() => {
    const soft = strengths[Math.floor(strengths.length * 0.01)] ?? -50;
    const hard = strengths[strengths.length - 1] ?? 0;
    return [
      Math.max(Math.floor((soft - 6) / 6) * 6, -96),
      Math.min(Math.ceil((hard + 3) / 6) * 6, 6),
    ] as const;
  }, [strengths]);
  const place = useCallback(
    (width: number, height: number): CurvePlaces => {
      const [wide, tall] = [width - LEFT - RIGHT, height - TOP - BOTTOM];
      return {
        x: (level: number) => LEFT + ((level - low) / (high - low)) * wide,
        y: (velocity: number) => TOP + tall * (1 - velocity / 127),
        strengthDb: (px: number) => low + ((px - LEFT) / wide) * (high - low),
        velocity: (py: number) => 127 * (1 - (py - TOP) / tall),
      };
    },
    [low, high],
  );

  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const { x, y } = place(width, height);
      context.font = '11px "Recursive Variable", monospace';
      context.textBaseline = 'middle';
      for (const velocity of [0, 32, 64, 96, 127]) {
        context.fillStyle = look.faint;
        context.fillRect(LEFT, y(velocity), width - LEFT - RIGHT, 1);
        context.fillStyle = look.quiet;
        context.textAlign = 'right';
        context.fillText(String(velocity), LEFT - 5, y(velocity));
      }
      context.textAlign = 'center';
      for (let level = low; level <= high; level += 12) {
        context.fillStyle = look.quiet;
        context.fillText(decibels(level, 0), x(level), height - 8);
      }
      // where the strokes lie: one short upright each, so that many make a dark place
      context.fillStyle = look.ink;
      context.globalAlpha = Math.max(0.12, Math.min(0.6, 12 / Math.max(strengths.length, 1)));
      for (const level of strengths)
        if (level >= low) context.fillRect(x(level) - 0.75, height - BOTTOM + 3, 1.5, 12);
      context.globalAlpha = 1;
      context.strokeStyle = look.ink;
      context.lineWidth = 1.8;
      context.save();
      context.beginPath();
      context.rect(LEFT, 0, width - LEFT - RIGHT, height);
      context.clip();
      context.beginPath();
      context.moveTo(LEFT, y(points[0]?.velocity ?? 0));
      for (const point of points) context.lineTo(x(point.strength_db), y(point.velocity));
      context.lineTo(width - RIGHT, y(points[points.length - 1]?.velocity ?? 127));
      context.stroke();
      context.fillStyle = context.strokeStyle = look.piece(piece.ink);
      context.globalAlpha = 0.5;
      columns.strength_db.forEach((level, i) => {
        const played = columns.played[i];
        if (level === null || played === null || played === undefined) return;
        noteHead(context, piece.head, x(level), y(played), headSize(played, 1.4, 4));
      });
      context.restore();
      points.forEach((point, index) => {
        context.fillStyle = index === at ? look.ink : look.paper;
        context.strokeStyle = look.ink;
        context.lineWidth = 1.6;
        context.fillRect(x(point.strength_db) - 4, y(point.velocity) - 4, 8, 8);
        context.strokeRect(x(point.strength_db) - 4, y(point.velocity) - 4, 8, 8);
      });
    },
    [night, place, low, high, strengths, points, columns, piece, at],
  );

  const handlers = useGesture<CurveDrag | null>(null, (drag, { kind, x, y, width, height, alt }) => {
    const [next, effects] = dragCurve(drag, { kind, x, y, away: alt }, points, place(width, height));
    for (const effect of effects) {
      if (effect.kind === 'choose') setAt(effect.point);
      else if (effect.kind === 'forget') leave();
      else if (effect.ended) void done({ curve: effect.points });
      else move({ curve: effect.points });
    }
    return next;
  });
  const onKey = (event: KeyboardEvent<HTMLDivElement>) => {
    const now = at ?? 0;
    const point = points[now];
    if (!point) return;
    const step = event.shiftKey ? 5 : 1;
    const put = (by: { strength_db?: number; velocity?: number }) =>
      void done({
        curve: withPoint(points, now, {
          strength_db: point.strength_db + (by.strength_db ?? 0),
          velocity: point.velocity + (by.velocity ?? 0),
        }),
      });
    const left = without(points, now);
    const ways: Record<string, () => void> = {
      ArrowLeft: () => (event.altKey ? put({ strength_db: -step }) : setAt(Math.max(now - 1, 0))),
      ArrowRight: () =>
        event.altKey ? put({ strength_db: step }) : setAt(Math.min(now + 1, points.length - 1)),
      ArrowUp: () => put({ velocity: step }),
      ArrowDown: () => put({ velocity: -step }),
      Delete: () => left && void done({ curve: left }),
    };
    const way = ways[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    setAt(now);
    way();
  };

  return (
    <>
      <div
        className="strength-curve"
        data-testid="curve"
        tabIndex={0}
        role="group"
        aria-label={LABEL}
        onKeyDown={onKey}
        {...handlers}
      >
        <Canvas
          draw={draw}
          label={`From strength to velocity: ${points.length} points over ${strengths.length} strokes`}
        />
      </div>
      <p className="about axis-line">
        strength in dBFS <span aria-hidden>→</span> velocity
      </p>
      <div className="starts" role="group" aria-label="Curves to start from">
        {STARTS.map(([kind, word, about]) => (
          <button
            type="button"
            key={kind}
            className="plain-act light"
            title={about}
            onClick={() => void done({ curve: kind === 'played' ? [] : columns.starts[kind] })}
          >
            {word}
          </button>
        ))}
      </div>
    </>
  );
}
