import { describe, expect, it } from 'vitest';
import { timeToX } from './axes';
import { downToY, gapAt, outlineOf, yToDown, type Gaps } from './gaps';
import { IDLE, step, type Effect, type Gesture } from './gestures';
import { handOf } from './hand.fixture';
import { pointAt, type Scene } from './hit';
import { boxesOf } from './layout';

// Open from 1 to 2 s and from 4 to 5 s, 16 dB down between and 30 behind.
const gaps: Gaps = {
  rises_s: [0.99, 3.99],
  opens_s: [1, 4],
  closes_s: [2, 5],
  down_s: [2.1, 5.1],
  first_s: [1.001, 4.001],
  last_s: [1.5, 4.001],
  first_found_s: [1.001, 4.001],
  last_found_s: [1.5, 4.001],
  down_db: [16, 16, 30],
  marks: {},
  turned_down: 0.7,
};
const boxes = boxesOf(900, 520, 'find');
const scene: Scene = {
  mode: 'find',
  boxes,
  view: { startS: 0, spanS: 8 },
  lengthS: 8,
  decisions: null,
  curve: [],
  drawing: false,
  byHandOnly: false,
  loop: null,
  looping: false,
  chosenS: [],
  gaps,
};
const xOf = (timeS: number) => timeToX(timeS, scene.view, boxes.wave.left, boxes.wave.width);
const middle = boxes.wave.top + boxes.wave.height / 2;
const at = (timeS: number, y = middle) => gapAt(gaps, scene.view, boxes.wave, xOf(timeS), y, 8);

type Place = [timeS: number, y: number];
const hand = handOf<Gesture, Effect, Place>(IDLE, (state, kind, [timeS, y]) =>
  step(state, { kind, at: pointAt(scene, xOf(timeS), y), free: false }, scene),
);

describe('the line of the gaps', () => {
  it('is taken hold of where a gap begins, where it is open again, and along its floor', () => {
    expect(at(2.03)).toEqual({ gap: 1, edge: 'closes' });
    expect(at(4)).toEqual({ gap: 1, edge: 'opens' });
    expect(at(1)).toEqual({ gap: 0, edge: 'opens' });
    expect(at(3, downToY(16, boxes.wave))).toEqual({ gap: 1, edge: 'down' });
    expect(at(7, downToY(30, boxes.wave))).toEqual({ gap: 2, edge: 'down' });
  });
  it('leaves the waveform alone elsewhere, and the depth of what no stroke stands before', () => {
    expect(at(1.5)).toBeNull();
    expect(at(3, middle)).toBeNull();
    expect(at(0.5, downToY(16, boxes.wave))).toBeNull();
    expect(gapAt(gaps, scene.view, boxes.wave, xOf(4), boxes.field.top + 40, 8)).toBeNull();
  });
  it('reaches to the ends of the recording', () => {
    expect(outlineOf(gaps, 0, 8)).toMatchObject({ closesS: 0, risesS: 0.99 });
    expect(outlineOf(gaps, 2, 8)).toMatchObject({ closesS: 5, opensS: 8, downDb: 30 });
  });
  it('says a depth where the pointer is, within silence and nothing', () => {
    for (const down of [0, 16, 60]) expect(yToDown(downToY(down, boxes.wave), boxes.wave)).toBe(down);
    expect(yToDown(0, boxes.wave)).toBe(0);
    expect(yToDown(900, boxes.wave)).toBe(60);
  });
});

describe('a corner that is dragged', () => {
  it('goes as far as the pointer, and not past the other end of its gap', () => {
    const { last } = hand.drags(
      [2, middle],
      [
        [2.5, middle],
        [2.6, middle],
      ],
    );
    expect(last).toMatchObject({ kind: 'gap', ended: true, put: { gap: 1, edge: 'closes' } });
    expect((last as { put: { timeS: number } }).put.timeS).toBeCloseTo(2.6, 3);
    const far = hand.drags([2, middle], [[6, middle]]).last as { put: { timeS: number } };
    expect(far.put.timeS).toBeCloseTo(3.99, 6);
    const early = hand.drags([4, middle], [[0.5, middle]]).last as { put: { timeS: number } };
    expect(early.put.timeS).toBeCloseTo(2.1, 6);
  });
  it('says how deep along the floor', () => {
    const floor = downToY(16, boxes.wave);
    const { last } = hand.drags([3, floor], [[3, downToY(40, boxes.wave)]]);
    expect(last).toMatchObject({ kind: 'gap', put: { gap: 1, edge: 'down', downDb: 40 } });
  });
  it('is as it was when the drag is given up, and a tap moves nothing', () => {
    expect(hand.givesUp([2, middle], [[2.4, middle]])).toEqual([{ kind: 'gapBack' }]);
    expect(hand.drags([2, middle]).effects.some((one) => one.kind === 'gap')).toBe(false);
  });
});
