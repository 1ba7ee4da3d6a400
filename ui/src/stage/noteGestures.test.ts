import { describe, expect, it } from 'vitest';
import { timeToX } from './axes';
import { handOf } from './hand.fixture';
import {
  notePointAt,
  STILL,
  stepNotes,
  type NoteEffect,
  type NoteGesture,
  type NoteScene,
} from './noteGestures';

const field = { left: 40, top: 160, width: 800, height: 254 };
// Notes at 1, 2 and 3 s; the second was struck 20 ms before it sounds.
const plain: NoteScene = {
  field,
  view: { startS: 0, spanS: 8 },
  lengthS: 10,
  notes: { timeS: [1, 2, 3], placeS: [1, 1.98, 3], velocity: [100, 40, 127] },
  drawing: false,
  loop: { startS: 5, endS: 6 },
  looping: true,
  chosenS: [],
};
const xOf = (timeS: number) => timeToX(timeS, plain.view, field.left, field.width);
const yOf = (velocity: number) => field.top + field.height * (1 - velocity / 127);

type Place = [timeS: number, y: number];

const of = (scene: NoteScene, straight: boolean) =>
  handOf<NoteGesture, NoteEffect, Place>(STILL, (state, kind, [timeS, y]) =>
    stepNotes(state, { kind, at: notePointAt(scene, xOf(timeS), y), straight }, scene),
  );
const hand = (scene: NoteScene, from: Place, through: Place[] = [], { straight = false } = {}) =>
  of(scene, straight).drags(from, through);
const givenUp = (scene: NoteScene, from: Place, through: Place[]) => of(scene, false).givesUp(from, through);

describe('a note', () => {
  it('is named by when it was struck, wherever it sounds', () => {
    expect(notePointAt(plain, xOf(2), yOf(40)).placeS).toBe(1.98);
    expect(notePointAt(plain, xOf(2.5), yOf(40)).placeS).toBeNull();
    expect(notePointAt(plain, xOf(2), yOf(60)).placeS).toBeNull();
  });

  it('is selected by a press and goes up and down with the hand', () => {
    const { effects, last } = hand(plain, [1, yOf(100)], [[1, yOf(80)]]);
    expect(effects[0]).toEqual({ kind: 'select', placeS: 1 });
    expect(last).toEqual({ kind: 'velocity', placesS: [1], by: -20, ended: true });
  });

  it('stays at its velocity when it is only tapped', () => {
    expect(hand(plain, [1, yOf(100)], [[1, yOf(100) - 3]]).last).toMatchObject({ by: 0, ended: true });
  });

  it('takes the others along that are chosen with it, and leaves them chosen', () => {
    const { effects } = hand({ ...plain, chosenS: [3, 1.98] }, [2, yOf(40)], [[2, yOf(60)]]);
    expect(effects.map((one) => one.kind)).toEqual(['velocity', 'velocity']);
    expect(effects[1]).toEqual({ kind: 'velocity', placesS: [1.98, 3], by: 20, ended: true });
  });

  it('goes back by Escape', () => {
    expect(givenUp(plain, [1, yOf(100)], [[1, yOf(50)]])).toEqual([
      { kind: 'velocity', placesS: [1], by: 0, ended: false },
    ]);
  });
});

describe('a frame over notes', () => {
  it('chooses what lies in it, the loudest too', () => {
    const { effects } = hand(plain, [0.5, yOf(127) - 4], [[3.2, yOf(90)]]);
    expect(effects.slice(-2)).toEqual([
      { kind: 'box', box: null },
      { kind: 'choose', placesS: [1, 3] },
    ]);
  });

  it('is a tap where it does not grow, and goes there', () => {
    expect(hand(plain, [4, yOf(60)], [[4, yOf(60) + 2]]).effects).toMatchObject([{ kind: 'go', timeS: 4 }]);
  });

  it('chooses nothing by Escape', () => {
    expect(givenUp(plain, [0.5, yOf(120)], [[3.2, yOf(90)]])).toEqual([{ kind: 'box', box: null }]);
  });
});

describe('a line over the notes', () => {
  const drawing = { ...plain, drawing: true };
  const y = (percent: number) => field.top + field.height * (1 - percent / 200);

  it('runs through what was drawn, in order of time, and as drawn last', () => {
    const { last } = hand(drawing, [1, y(100)], [[3, y(150)], [2, y(50)], [2.001, y(60)]]); // prettier-ignore
    const percents = (last as { points: { percent: number }[] }).points.map((one) => one.percent);
    expect(last).toMatchObject({ kind: 'line', ended: true });
    expect(percents).toEqual([100, 60, 150]);
  });

  it('is straight with Shift, backwards too', () => {
    const { last } = hand(drawing, [3, y(100)], [[2, y(80)], [1, y(20)]], { straight: true }); // prettier-ignore
    expect(last).toMatchObject({ points: [{ percent: 20 }, { percent: 100 }] });
  });

  it('stays within 0 and 200 %', () => {
    const { last } = hand(drawing, [1, y(100)], [[2, -500], [3, 5000]]); // prettier-ignore
    expect((last as { points: { percent: number }[] }).points.map((one) => one.percent)).toEqual([
      100, 200, 0,
    ]);
  });

  it('is gone by Escape', () => {
    expect(givenUp(drawing, [1, y(100)], [[3, y(150)]])).toEqual([
      { kind: 'line', points: [], ended: false },
    ]);
  });
});

describe('the waveform over the notes', () => {
  it('is looped where it is dragged over, and has its loop again by Escape', () => {
    const { last } = hand(plain, [4, 80], [[2, 90]]);
    expect(last).toMatchObject({ kind: 'loop', looping: true });
    expect((last as { loop: { startS: number } }).loop.startS).toBeCloseTo(2, 9);
    expect(givenUp(plain, [4, 80], [[2, 90]])).toEqual([{ kind: 'loop', loop: plain.loop, looping: true }]);
  });
});
