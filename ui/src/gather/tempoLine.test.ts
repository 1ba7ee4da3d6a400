import { describe, expect, it } from 'vitest';
import type { Schema } from '../api/client';
import { timeToX } from '../stage/axes';
import {
  barS,
  bpmToY,
  dragTempo,
  nearestBar,
  pointsOf,
  rangeBpm,
  withoutPoint,
  withPoint,
  type Scene,
  type TempoDrag,
} from './tempoLine';

// Four bars of four at 120 last 8 s; from bar 5 on it is 100.
const tempo: Schema['Tempo'] = {
  known: 'set',
  sure: null,
  bpm: 120,
  beats_per_bar: 4,
  beat_unit: 4,
  bar_one_s: 1,
  changes: [{ time_s: 9, bpm: 100 }],
};
const points = pointsOf(tempo);
const scene: Scene = {
  tempo,
  points,
  view: { startS: 0, spanS: 20 },
  box: { left: 60, top: 20, width: 1000, height: 300 },
  range: rangeBpm(points),
};
const x = (bar: number) => timeToX(barS(tempo, bar), scene.view, scene.box.left, scene.box.width);
const y = (bpm: number) => bpmToY(bpm, scene);

function drags(...way: [number, number][]) {
  let state: TempoDrag = null;
  const out = [];
  for (const [index, [atX, atY]] of way.entries()) {
    const kind = index === 0 ? 'down' : 'move';
    const [next, effects] = dragTempo(state, { kind, x: atX, y: atY }, scene);
    state = next;
    out.push(...effects);
  }
  const [lastX, lastY] = way[way.length - 1]!;
  out.push(...dragTempo(state, { kind: 'up', x: lastX, y: lastY }, scene)[1]);
  return out;
}

describe('the line of a tempo', () => {
  it('has a point at bar 1 and at every change', () => {
    expect(points).toEqual([
      { bar: 1, bpm: 120 },
      { bar: 5, bpm: 100 },
    ]);
    expect([nearestBar(tempo, 0), nearestBar(tempo, 8.9), nearestBar(tempo, 11.5)]).toEqual([1, 5, 6]);
  });

  it('takes another point as fast as it is there', () => {
    expect(withPoint(points, 3)).toEqual([points[0], { bar: 3, bpm: 120 }, points[1]]);
    expect(withPoint(points, 5, 90)).toEqual([points[0], { bar: 5, bpm: 90 }]);
    expect(withPoint(points, 5, 5000)[1]!.bpm).toBe(400);
  });

  it('never loses its first point', () => {
    expect(withoutPoint(points, 0)).toEqual(points);
    expect(withoutPoint(points, 1)).toEqual([points[0]]);
  });
});

describe('a hand on the line', () => {
  it('drags a point to another tempo on its bar', () => {
    const last = drags([x(5), y(100)], [x(5) + 3, y(108)]).at(-1);
    expect(last).toMatchObject({ kind: 'keep', points: [points[0], { bar: 5 }] });
    expect(last?.kind === 'keep' && last.points[1]!.bpm).toBeCloseTo(108, 1);
  });

  it('drags a point to another bar, the first only up and down', () => {
    const last = drags([x(5), y(100)], [x(3) + 2, y(100)]).at(-1);
    expect(last?.kind === 'keep' && last.points[1]!.bar).toBe(3);
    const first = drags([x(1), y(120)], [x(4), y(110)]).at(-1);
    expect(first?.kind === 'keep' && first.points[0]!.bar).toBe(1);
    expect(first?.kind === 'keep' && first.points[0]!.bpm).toBeCloseTo(110, 1);
  });

  it('sets a point at the nearest bar where there is none', () => {
    expect(drags([x(3) + 8, y(112)])[0]).toMatchObject({ kind: 'add', bar: 3 });
  });

  it('chooses by a tap and changes nothing', () => {
    expect(drags([x(5), y(100)])).toEqual([{ kind: 'choose', index: 1 }]);
  });

  it('is given up without a trace', () => {
    const [state] = dragTempo(null, { kind: 'down', x: x(5), y: y(100) }, scene);
    expect(dragTempo(state, { kind: 'cancel', x: 0, y: 0 }, scene)).toEqual([
      null,
      [{ kind: 'show', points: null }],
    ]);
  });
});
