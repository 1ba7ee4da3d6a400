import { useCallback, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import type { Piece } from '../api/client';
import { useWindow } from '../state/window';
import { decibels } from '../stage/axes';
import { useEscape } from '../stage/useEscape';
import { Canvas, type Draw } from '../stage/Canvas';
import { headSize, inks, noteHead } from '../stage/heads';
import type { Changes, Columns, Point } from './useShape';

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
    return [Math.max(Math.floor((soft - 6) / 6) * 6, -96), Math.min(Math.ceil((hard + 3) / 6) * 6, 6)] as const;
  }, [strengths]);
  const place = useCallback(
    (width: number, height: number) => {
      const [wide, tall] = [width - LEFT - RIGHT, height - TOP - BOTTOM];
      return {
        x: (level: number) => LEFT + ((level - low) / (high - low)) * wide,
        y: (velocity: number) => TOP + tall * (1 - velocity / 127),
        level: (px: number) => Math.min(Math.max(low + ((px - LEFT) / wide) * (high - low), -120), 12),
        velocity: (py: number) => Math.min(Math.max(127 * (1 - (py - TOP) / tall), 0), 127),
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
      for (const level of strengths) if (level >= low) context.fillRect(x(level) - 0.75, height - BOTTOM + 3, 1.5, 12);
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

  const drag = useRef<number | null>(null);
  const spot = (event: PointerEvent<HTMLDivElement>) => {
    const bounds = event.currentTarget.getBoundingClientRect();
    const to = place(bounds.width, bounds.height);
    const [px, py] = [event.clientX - bounds.left, event.clientY - bounds.top];
    const near = points.findIndex(
      (point) => Math.abs(to.x(point.strength_db) - px) < 9 && Math.abs(to.y(point.velocity) - py) < 9,
    );
    const here = {
      strength_db: Math.round(to.level(px) * 10) / 10,
      velocity: Math.round(to.velocity(py) * 10) / 10,
    };
    return { near, here };
  };
  /** One point put elsewhere; it stays between its neighbours, so that a louder stroke is never softer by accident of order. */
  const put = (index: number, point: Point): Point[] => {
    const least = points[index - 1]?.strength_db ?? -120;
    const most = points[index + 1]?.strength_db ?? 12;
    return points.map((one, other) =>
      other === index ? { ...point, strength_db: Math.min(Math.max(point.strength_db, least), most) } : one,
    );
  };
  const latest = useRef<Point[] | null>(null);
  useEscape(() => {
    const held = drag.current !== null;
    if (held && latest.current) leave();
    drag.current = latest.current = null;
    return held;
  });
  const onKey = (event: KeyboardEvent<HTMLDivElement>) => {
    const now = at ?? 0;
    const point = points[now];
    if (!point) return;
    const step = event.shiftKey ? 5 : 1;
    const ways: Record<string, () => void> = {
      ArrowLeft: () =>
        event.altKey
          ? void done({ curve: put(now, { ...point, strength_db: point.strength_db - step }) })
          : setAt(Math.max(now - 1, 0)),
      ArrowRight: () =>
        event.altKey
          ? void done({ curve: put(now, { ...point, strength_db: point.strength_db + step }) })
          : setAt(Math.min(now + 1, points.length - 1)),
      ArrowUp: () => void done({ curve: put(now, { ...point, velocity: Math.min(point.velocity + step, 127) }) }),
      ArrowDown: () => void done({ curve: put(now, { ...point, velocity: Math.max(point.velocity - step, 0) }) }),
      Delete: () => points.length > 2 && void done({ curve: points.filter((_, index) => index !== now) }),
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
        aria-label="Velocity over strength. Arrow keys choose a point and move it up and down; with Alt sideways; Delete takes it out."
        onKeyDown={onKey}
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          const { near, here } = spot(event);
          if (near >= 0 && event.altKey) {
            if (points.length > 2) void done({ curve: points.filter((_, index) => index !== near) });
          } else if (near >= 0) {
            drag.current = near;
            setAt(near);
          } else {
            const curve = [...points, here].sort((a, b) => a.strength_db - b.strength_db);
            setAt(curve.indexOf(here));
            void done({ curve });
          }
        }}
        onPointerMove={(event) => {
          if (drag.current === null) return;
          latest.current = put(drag.current, spot(event).here);
          move({ curve: latest.current });
        }}
        onPointerUp={() => {
          if (drag.current !== null && latest.current) void done({ curve: latest.current });
          drag.current = latest.current = null;
        }}
      >
        <Canvas
          draw={draw}
          label={`From strength in dBFS to velocity, through ${points.length} points, over ${strengths.length} strokes`}
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
