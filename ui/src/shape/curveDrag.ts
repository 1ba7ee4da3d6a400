import { limitOf } from '../api/limit';
import type { Schema } from '../api/client';

type Point = Schema['StrengthPoint'];

const REACH_PX = 9;
const STRENGTH = limitOf('StrengthPoint', 'strength_db');
const VELOCITY = limitOf('StrengthPoint', 'velocity');

/** The curve as it lies on screen: where a strength and a velocity stand, and what stands at a pixel. */
export interface CurvePlaces {
  x: (strengthDb: number) => number;
  y: (velocity: number) => number;
  strengthDb: (x: number) => number;
  velocity: (y: number) => number;
}

/** A point on its way, and the curve as it is then. */
export interface CurveDrag {
  point: number;
  points: Point[] | null;
}

export interface CurveEvent {
  kind: 'down' | 'move' | 'up' | 'cancel' | 'leave';
  x: number;
  y: number;
  /** Whether a point is taken away rather than dragged. */
  away: boolean;
}

/** What follows; `ended`: let go, so that it is kept. */
export type CurveEffect =
  { kind: 'choose'; point: number } | { kind: 'curve'; points: Point[]; ended: boolean } | { kind: 'forget' };

/**
 * One step of what the pointer does on the curve: a click sets a point, a drag moves one, with Alt it goes.
 */
export function dragCurve(
  drag: CurveDrag | null,
  event: CurveEvent,
  points: Point[],
  places: CurvePlaces,
): [CurveDrag | null, CurveEffect[]] {
  const here = pointAt(event, places);
  switch (event.kind) {
    case 'leave':
      return [drag, []];
    case 'cancel':
      return [null, drag?.points ? [{ kind: 'forget' }] : []];
    case 'down': {
      const near = points.findIndex(
        (one) =>
          Math.abs(places.x(one.strength_db) - event.x) < REACH_PX &&
          Math.abs(places.y(one.velocity) - event.y) < REACH_PX,
      );
      if (near >= 0 && event.away) {
        const left = without(points, near);
        return [null, left ? [{ kind: 'curve', points: left, ended: true }] : []];
      }
      if (near >= 0) return [{ point: near, points: null }, [{ kind: 'choose', point: near }]];
      const more = [...points, here].sort((a, b) => a.strength_db - b.strength_db);
      const chosen = more.indexOf(here);
      return [
        null,
        [
          { kind: 'choose', point: chosen },
          { kind: 'curve', points: more, ended: true },
        ],
      ];
    }
    case 'move': {
      if (!drag) return [null, []];
      const put = withPoint(points, drag.point, here);
      return [{ ...drag, points: put }, [{ kind: 'curve', points: put, ended: false }]];
    }
    case 'up':
      return [null, drag?.points ? [{ kind: 'curve', points: drag.points, ended: true }] : []];
  }
}

/**
 * One point put elsewhere; it stays between its neighbours, so that no louder stroke becomes softer by order
 * alone.
 */
export function withPoint(points: Point[], index: number, point: Point): Point[] {
  const least = points[index - 1]?.strength_db ?? STRENGTH.least!;
  const most = points[index + 1]?.strength_db ?? STRENGTH.most!;
  const strength_db = Math.min(Math.max(point.strength_db, least), most);
  const velocity = Math.min(Math.max(point.velocity, VELOCITY.least!), VELOCITY.most!);
  return points.map((one, other) => (other === index ? { strength_db, velocity } : one));
}

/** The curve without a point; null where only two are left, which a curve needs. */
export function without(points: Point[], index: number): Point[] | null {
  return points.length > 2 ? points.filter((_, other) => other !== index) : null;
}

const tenth = (value: number) => Math.round(value * 10) / 10;

function pointAt({ x, y }: CurveEvent, places: CurvePlaces): Point {
  const strength = Math.min(Math.max(places.strengthDb(x), STRENGTH.least!), STRENGTH.most!);
  const velocity = Math.min(Math.max(places.velocity(y), VELOCITY.least!), VELOCITY.most!);
  return { strength_db: tenth(strength), velocity: tenth(velocity) };
}
