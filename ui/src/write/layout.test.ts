import { describe, expect, it } from 'vitest';
import type { Piece } from '../api/client';
import { barsAround, writtenAround } from './bars';
import {
  layoutOf,
  lineAt,
  nameYs,
  noteAt,
  stepAt,
  velocityAt,
  xOfTime,
  yOfStaff,
  yOfVelocity,
  type Bar,
} from './layout';

const piece = (id: string, staff: number) => ({ id, staff, name: id }) as Piece;
const pieces = new Map(
  [piece('kick', 0.5), piece('snare', 2.5), piece('hi-hat', 4.5), piece('shaker', 4.5)].map((one) => [
    one.id,
    one,
  ]),
);
const line = (id: string, notes: [number, number][] = []) => ({
  part_id: id,
  name: id,
  piece: id,
  sounds: true,
  number: 38,
  notes: notes.map(([step, late_ms]) => ({
    step,
    late_ms,
    time_s: 10 + step / 8 + late_ms / 1000,
    velocity: 100,
    note: 38,
    kind: 'plain' as const,
    graces: 0,
    way: null,
    recorded: true,
  })),
});
const bar: Bar = {
  revision: 1,
  bar: 3,
  start_s: 10,
  end_s: 12,
  steps_s: Array.from({ length: 17 }, (_, k) => 10 + k / 8),
  labels: Array.from({ length: 16 }, (_, k) => (k % 4 ? '·' : String(k / 4 + 1))),
  beat_steps: Array.from({ length: 16 }, (_, k) => k % 4 === 0),
  grid: { step: 16, kind: 'straight', swing_percent: 50 },
  lines: [
    line('kick'),
    line('snare', [
      [4, 12],
      [4, 2],
    ]),
    line('hi-hat'),
    line('shaker'),
  ],
  bars: [],
  pads: [],
};

describe.each([
  [800, 470],
  [560, 330],
])('a bar drawn %i by %i', (width, height) => {
  const at = layoutOf(width, height);

  it('keeps everything inside, one under the other', () => {
    expect(at.top).toBeGreaterThan(2 * at.gap);
    expect(at.countY).toBeGreaterThan(at.top + 4 * at.gap);
    expect(at.hardTop).toBeGreaterThan(at.countY);
    expect(at.hardGround).toBeLessThan(height);
  });

  it('finds the step and the part again that a stroke is drawn at', () => {
    for (let step = 0; step < 16; step++)
      expect(stepAt(at, bar, xOfTime(at, bar, bar.steps_s[step]!) + 3)).toBe(step);
    for (const id of ['kick', 'snare', 'hi-hat'])
      expect(lineAt(at, bar, pieces, yOfStaff(at, pieces.get(id)!.staff))?.part_id).toBe(id);
    expect(lineAt(at, bar, pieces, at.countY + 30)).toBeUndefined();
  });

  it('tells velocities up and down the strip', () => {
    for (const velocity of [1, 40, 127])
      expect(Math.abs(velocityAt(at, yOfVelocity(at, velocity)) - velocity)).toBeLessThanOrEqual(1);
    expect(velocityAt(at, -500)).toBe(127);
    expect(velocityAt(at, 5000)).toBe(1);
  });

  it('writes no name over another', () => {
    const ys = [...nameYs(at, bar, pieces).values()].sort((a, b) => a - b);
    for (let i = 1; i < ys.length; i++) expect(ys[i]! - ys[i - 1]!).toBeGreaterThan(14);
  });
});

describe('the bars around one', () => {
  const runs: Bar['bars'] = [
    { first: 1, last: 40, kind: 'recorded' },
    { first: 41, last: 44, kind: 'written' },
    { first: 45, last: 45, kind: 'empty' },
  ];

  it('are as many as have room, with the one that is meant', () => {
    for (const number of [1, 20, 44, 45]) {
      const cells = barsAround(runs, number);
      expect(cells).toHaveLength(14);
      expect(cells.some((one) => one.number === number)).toBe(true);
      expect(cells[0]!.number).toBeGreaterThanOrEqual(1);
    }
    expect(
      barsAround(runs, 45)
        .map((one) => one.kind)
        .slice(-6),
    ).toEqual(['recorded', 'written', 'written', 'written', 'written', 'empty']);
    expect(barsAround([{ first: 1, last: 1, kind: 'empty' }], 1)).toEqual([{ number: 1, kind: 'empty' }]);
  });

  it('are taken together where they are written', () => {
    expect(writtenAround(runs, 42)).toEqual({ bar: 41, to_bar: 44 });
    expect(writtenAround(runs, 7)).toEqual({ bar: 7, to_bar: 7 });
  });

  it('show the stroke nearest its step', () => {
    expect(noteAt(bar.lines[1], 4)?.late_ms).toBe(2);
    expect(noteAt(bar.lines[1], 5)).toBeUndefined();
    expect(noteAt(undefined, 4)).toBeUndefined();
  });
});
