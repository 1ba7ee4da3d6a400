import { describe, expect, it } from 'vitest';
import { handOf } from '../stage/hand.fixture';
import {
  dragCurve,
  without,
  withPoint,
  type CurveDrag,
  type CurveEffect,
  type CurvePlaces,
} from './curveDrag';

// Ten pixels are a decibel, five a step of velocity: −60 dBFS at the left, velocity 127 at the top.
const places: CurvePlaces = {
  x: (strengthDb) => (strengthDb + 60) * 10,
  y: (velocity) => (127 - velocity) * 5,
  strengthDb: (x) => x / 10 - 60,
  velocity: (y) => 127 - y / 5,
};
const points = [
  { strength_db: -50, velocity: 10 },
  { strength_db: -30, velocity: 60 },
  { strength_db: -10, velocity: 120 },
];
type Place = [strengthDb: number, velocity: number];

const of = (away = false, on = points) =>
  handOf<CurveDrag | null, CurveEffect, Place>(null, (drag, kind, [strengthDb, velocity]) =>
    dragCurve(drag, { kind, x: places.x(strengthDb), y: places.y(velocity), away }, on, places),
  );

describe('the strength curve', () => {
  it('takes a point along, to tenths, and keeps it when it is let go', () => {
    const { effects, last, state } = of().drags([-30, 60], [[-28.04, 70.02]]);
    expect(effects[0]).toEqual({ kind: 'choose', point: 1 });
    expect(effects[1]).toMatchObject({ kind: 'curve', ended: false });
    const put = { strength_db: -28, velocity: 70 };
    expect(last).toEqual({ kind: 'curve', points: [points[0], put, points[2]], ended: true });
    expect(state).toBeNull();
  });

  it('does not let a point pass its neighbours or leave what a velocity can be', () => {
    const { last } = of().drags([-30, 60], [[5, 160]]);
    expect(last).toMatchObject({ points: [{}, { strength_db: -10, velocity: 127 }, {}] });
    expect(withPoint(points, 0, { strength_db: -500, velocity: -3 })[0]).toEqual({
      strength_db: -120,
      velocity: 0,
    });
    expect(withPoint(points, 2, { strength_db: 500, velocity: 64 })[2]!.strength_db).toBe(12);
  });

  it('sets a point where none is, in its order, and chooses it', () => {
    const { effects } = of().drags([-20, 90]);
    expect(effects).toEqual([
      { kind: 'choose', point: 2 },
      {
        kind: 'curve',
        points: [...points.slice(0, 2), { strength_db: -20, velocity: 90 }, points[2]],
        ended: true,
      },
    ]);
  });

  it('takes a point away with Alt, as long as two are left', () => {
    expect(of(true).drags([-30, 60]).effects).toEqual([
      { kind: 'curve', points: [points[0], points[2]], ended: true },
    ]);
    const two = points.slice(0, 2);
    expect(of(true, two).drags([-30, 60]).effects).toEqual([]);
    expect(without(two, 0)).toBeNull();
  });

  it('is as it was after Escape; a tap alone changes nothing', () => {
    expect(of().givesUp([-30, 60], [[-25, 80]])).toEqual([{ kind: 'forget' }]);
    expect(of().givesUp([-30, 60], [])).toEqual([]);
    expect(of().drags([-30, 60]).effects).toEqual([{ kind: 'choose', point: 1 }]);
  });
});
