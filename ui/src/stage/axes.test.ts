// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import { fitView, viewShowing, zoomView } from '../state/view';
import {
  barAndBeat,
  bpmAt,
  clock,
  decibels,
  firstAt,
  gridLines,
  levelToY,
  quartersAt,
  secondsAt,
  tempoSaid,
  timeToX,
  xToTime,
  yToLevel,
} from './axes';
import { noteName } from './noteName';

const tempo = { known: 'set' as const, bpm: 120, beats_per_bar: 4, beat_unit: 4, bar_one_s: 1, changes: [] };

describe('axes', () => {
  it('maps time and level there and back', () => {
    const view = { startS: 3, spanS: 4 };
    for (const timeS of [3, 4.25, 6.999])
      expect(xToTime(timeToX(timeS, view, 40, 700), view, 40, 700)).toBeCloseTo(timeS, 9);
    for (const level of [0, -12.5, -59])
      expect(yToLevel(levelToY(level, 20, 300), 20, 300)).toBeCloseTo(level, 9);
  });
  it('finds the first index that is not earlier', () => {
    expect([0, 1, 1.5, 9].map((t) => firstAt([1, 1, 2, 3], t))).toEqual([0, 0, 2, 4]);
  });
  it('draws bars at 2 s in 4/4 at 120 bpm from bar one on', () => {
    const lines = gridLines(tempo, 0, 5.1, 0.4).filter((line) => line.kind === 'bar');
    expect(lines.map((line) => [line.bar, line.timeS])).toEqual([
      [1, 1],
      [2, 3],
      [3, 5],
    ]);
    expect(gridLines(tempo, 0, 600, 60).length).toBeLessThan(12);
  });
  it('lets bars follow a tempo map', () => {
    const slower = { ...tempo, changes: [{ time_s: 3, bpm: 60 }] };
    const bars = gridLines(slower, 0, 12, 0.4).filter((line) => line.kind === 'bar');
    expect(bars.map((line) => [line.bar, line.timeS])).toEqual([
      [1, 1],
      [2, 3],
      [3, 7],
      [4, 11],
    ]);
    expect(barAndBeat(slower, 8)).toBe('bar 3 · beat 2.0');
  });
  it('says where a moment is', () => {
    expect(barAndBeat(tempo, 0.5)).toBe('before bar 1');
    expect(barAndBeat(tempo, 1)).toBe('bar 1 · beat 1.0');
    expect(barAndBeat(tempo, 3.75)).toBe('bar 2 · beat 2.5');
    expect(clock(61.376, 3)).toBe('1:01.376');
    expect(decibels(-31)).toBe('−31.0');
  });
  it('names notes as most drum users say them', () => {
    expect(noteName(36, 3)).toBe('36 · C1');
    expect(noteName(60, 3)).toBe('60 · C3');
    expect(noteName(60, 4)).toBe('60 · C4');
  });
});

describe('the view', () => {
  it('zooms about a moment that keeps its place on screen', () => {
    const before = { startS: 10, spanS: 10 };
    const after = zoomView(before, 0.5, 14, 60);
    expect((14 - after.startS) / after.spanS).toBeCloseTo((14 - before.startS) / before.spanS, 9);
  });
  it('stays on the time line and between one cycle and everything', () => {
    expect(fitView({ startS: -5, spanS: 200 }, 60)).toEqual({ startS: 0, spanS: 60 });
    expect(fitView({ startS: 59, spanS: 4 }, 60)).toEqual({ startS: 56, spanS: 4 });
    expect(zoomView({ startS: 0, spanS: 1 }, 1e-9, 0.5, 60).spanS).toBe(0.004);
  });
  it('moves only when it must', () => {
    const view = { startS: 10, spanS: 10 };
    expect(viewShowing(view, 15, 60)).toBe(view);
    expect(viewShowing(view, 40, 60).startS).toBeCloseTo(37, 9);
  });
});

describe('a tempo that changes', () => {
  // A beat each half second up to 5 s, then one a second.
  const changing = { ...tempo, sure: null, changes: [{ time_s: 5, bpm: 60 }] };

  it('is told as it is at a moment', () => {
    expect([0, 4.99, 5, 60].map((timeS) => bpmAt(changing, timeS))).toEqual([120, 120, 60, 60]);
    expect(tempoSaid(changing, 9)).toBe('60.0 bpm in 4/4');
    expect(tempoSaid({ ...changing, known: 'told' })).toBe('120.0 bpm in 4/4, detected');
  });

  it('counts there and back', () => {
    expect(secondsAt(changing, 0)).toBe(1);
    expect(secondsAt(changing, 10)).toBe(7);
    for (const timeS of [0, 3.25, 5, 8.5])
      expect(secondsAt(changing, quartersAt(changing, timeS))).toBeCloseTo(timeS);
  });
});
