import { describe, expect, it } from 'vitest';
import { levelToY, timeToX } from './axes';
import { State } from './states';
import { IDLE, step, type Effect, type Gesture } from './gestures';
import { pointAt, type Scene } from './hit';
import { handOf } from './hand.fixture';
import { boxesOf } from './layout';

const boxes = boxesOf(900, 520, 'find');
// A hit at 1 s, spill at 2 s, a hit at 3 s that lies on the threshold.
const decisions = {
  time_s: [1, 2, 3],
  found_s: [1.01, 2, 3],
  level_db: [-12, -24, -30],
  state: [State.Kept, State.Spill, State.Hit],
  threshold_db: -30,
  line: [{ time_s: 0, level_db: -30 }],
};
const plain: Scene = {
  mode: 'find',
  boxes,
  view: { startS: 0, spanS: 8 },
  lengthS: 10,
  decisions,
  curve: [],
  drawing: false,
  byHandOnly: false,
  loop: null,
  looping: false,
  chosenS: [],
};
const bent: Scene = {
  ...plain,
  decisions: {
    ...decisions,
    line: [
      { time_s: 2, level_db: -24 },
      { time_s: 6, level_db: -36 },
    ],
  },
  curve: [
    { time_s: 2, offset_db: 6 },
    { time_s: 6, offset_db: -6 },
  ],
};
const xOf = (timeS: number) => timeToX(timeS, plain.view, boxes.field.left, boxes.field.width);
const yOf = (levelDb: number) => levelToY(levelDb, boxes.field.top, boxes.field.height);

type Place = [timeS: number, y: number];

const of = (scene: Scene, free: boolean) =>
  handOf<Gesture, Effect, Place>(IDLE, (state, kind, [timeS, y]) =>
    step(state, { kind, at: pointAt(scene, xOf(timeS), y), free }, scene),
  );
const hand = (scene: Scene, from: Place, through: Place[] = [], { free = false } = {}) =>
  of(scene, free).drags(from, through);
const givenUp = (scene: Scene, from: Place, through: Place[]) => of(scene, false).givesUp(from, through);

describe('the threshold', () => {
  it.each([0.1, 1, 2.98, 3, 3.02, 5, 7.9])(
    'is taken hold of at %d s along its line, over a candidate too',
    (timeS) => {
      const { effects, last } = hand(plain, [timeS, yOf(-30)], [[timeS, yOf(-36)]]);
      expect(effects[0]).toEqual({ kind: 'threshold', levelDb: -36, ended: false });
      expect(last).toEqual({ kind: 'threshold', levelDb: -36, ended: true });
    },
  );

  it.each([0.5, 2, 4, 5, 7.5])(
    'is taken hold of at %d s along a bent line, and follows the hand there',
    (timeS) => {
      const offset = timeS <= 2 ? 6 : timeS >= 6 ? -6 : 6 - 3 * (timeS - 2);
      const { last } = hand(bent, [timeS, yOf(-30 + offset)], [[timeS, yOf(-40 + offset)]]);
      expect(last).toEqual({ kind: 'threshold', levelDb: -40, ended: true });
    },
  );

  it('stays within what can be seen', () => {
    expect(hand(plain, [5, yOf(-30)], [[5, -400]]).last).toMatchObject({ levelDb: 0 });
    expect(hand(plain, [5, yOf(-30)], [[5, 4000]]).last).toMatchObject({ levelDb: -60 });
  });

  it('is left alone by a tap, which means the candidate on the line or else the moment', () => {
    expect(hand(plain, [3, yOf(-30)]).effects).toEqual([{ kind: 'select', timeS: 3 }]);
    expect(hand(plain, [5, yOf(-30)]).effects).toMatchObject([{ kind: 'go', timeS: 5 }]);
  });

  it('goes back by Escape', () => {
    expect(givenUp(plain, [5, yOf(-30)], [[5, yOf(-40)]])).toEqual([{ kind: 'forget' }]);
  });
});

describe('a bent line', () => {
  const drawing = { ...bent, drawing: true };

  it('gets a point by a click, in order of time', () => {
    const { effects } = hand(drawing, [4, yOf(-18)]);
    expect(effects).toMatchObject([{ kind: 'curve', ended: true, points: [{}, { offset_db: 12 }, {}] }]);
  });

  it('loses a point by Alt and a click', () => {
    const { effects } = hand(drawing, [6, yOf(-36)], [], { free: true });
    expect(effects).toEqual([{ kind: 'curve', ended: true, points: [bent.curve[0]] }]);
  });

  it('has its points dragged, though not past each other', () => {
    const { last } = hand(drawing, [6, yOf(-36)], [[1, yOf(-20)]]);
    const points = [bent.curve[0], { time_s: 2, offset_db: 10 }];
    expect(last).toEqual({ kind: 'curve', ended: true, points });
  });

  it('goes back by Escape', () => {
    expect(givenUp(drawing, [6, yOf(-36)], [[5, yOf(-20)]])).toEqual([{ kind: 'forget' }]);
  });
});

describe('a hit', () => {
  it('is selected by a tap', () => {
    const { last } = hand(plain, [1, yOf(-12)]);
    expect(last).toEqual({ kind: 'select', timeS: 1 });
  });

  it('is dragged in time, as far as the hand went, and snaps unless Alt is held', () => {
    const hit = { foundS: 1.01, standsS: 1 };
    const { effects, last } = hand(plain, [1.02, yOf(-12)], [[1.52, yOf(-13)]]);
    expect(effects[0]).toEqual({ kind: 'select', timeS: 1 });
    expect(last).toMatchObject({ kind: 'hit', hit, free: false, ended: true });
    expect((last as { toS: number }).toS).toBeCloseTo(1.5, 9);
    expect(hand(plain, [1, yOf(-12)], [[4, yOf(-12)]], { free: true }).last).toMatchObject({ free: true });
  });

  it('does not leave the recording', () => {
    expect(hand(plain, [1, yOf(-12)], [[-3, yOf(-12)]]).last).toMatchObject({ toS: 0 });
  });

  it('keeps the others chosen when it is one of them', () => {
    const chosen = { ...plain, chosenS: [1, 3] };
    const { effects } = hand(chosen, [1, yOf(-12)], [[1.5, yOf(-12)]]);
    expect(effects.every((effect) => effect.kind === 'hit')).toBe(true);
  });

  it('goes back by Escape', () => {
    expect(givenUp(plain, [1, yOf(-12)], [[2, yOf(-12)]])).toEqual([{ kind: 'hitBack' }]);
  });

  it('is not what does not count: that is only selected', () => {
    expect(hand(plain, [2, yOf(-24)], [[2.5, yOf(-24)]]).effects[0]).toEqual({ kind: 'select', timeS: 2 });
    expect(hand(plain, [2, yOf(-24)], [[2.5, yOf(-24)]]).effects.some((one) => one.kind === 'hit')).toBe(
      false,
    );
  });
});

describe('a box', () => {
  it('chooses the candidates in it, and is gone then', () => {
    const { effects } = hand(plain, [0.5, yOf(-6)], [[2.5, yOf(-26)]]);
    expect(effects.slice(-2)).toEqual([
      { kind: 'box', box: null },
      { kind: 'choose', timesS: [1, 2] },
    ]);
  });

  it('chooses nothing by Escape', () => {
    expect(givenUp(plain, [0.5, yOf(-6)], [[2.5, yOf(-26)]])).toEqual([{ kind: 'box', box: null }]);
  });
});

describe('the waveform', () => {
  const looped = { ...plain, loop: { startS: 6, endS: 7 }, looping: true };

  it('goes to a moment by a tap', () => {
    expect(hand(plain, [4, boxes.wave.top + 20]).effects).toMatchObject([{ kind: 'go' }]);
  });

  it('is looped where it is dragged over, backwards too', () => {
    const { last } = hand(plain, [4, boxes.wave.top + 20], [[2, boxes.wave.top + 30]]);
    const { loop } = last as { loop: { startS: number; endS: number } };
    expect([loop.startS, loop.endS]).toEqual([expect.closeTo(2), expect.closeTo(4)]);
  });

  it('has its loop again by Escape', () => {
    const effects = givenUp(looped, [4, boxes.wave.top + 20], [[2, boxes.wave.top + 30]]);
    expect(effects).toEqual([{ kind: 'loop', loop: looped.loop, looping: true }]);
  });
});

describe('pointing', () => {
  it('says what is there while nothing is dragged, and goes when the pointer leaves', () => {
    const at = pointAt(plain, xOf(1), yOf(-12));
    expect(at).toMatchObject({ row: 0, onLine: false, inField: true });
    expect(step(IDLE, { kind: 'move', at, free: false }, plain)).toEqual([IDLE, [{ kind: 'point', at }]]);
    expect(step(IDLE, { kind: 'leave', at, free: false }, plain)).toEqual([
      IDLE,
      [{ kind: 'point', at: null }],
    ]);
  });

  it('takes hold of no threshold where a hand alone decides', () => {
    const onLine = [xOf(5), yOf(plain.decisions!.threshold_db)] as const;
    expect(pointAt(plain, ...onLine).onLine).toBe(true);
    expect(pointAt({ ...plain, byHandOnly: true }, ...onLine).onLine).toBe(false);
  });

  it('takes hold of no field where notes are shown', () => {
    const notes = { ...plain, mode: 'notes' as const, boxes: boxesOf(900, 520, 'notes') };
    const at = pointAt(notes, xOf(1), 400);
    expect(at).toMatchObject({ row: null, onLine: false, inField: false });
  });
});

describe('the layout', () => {
  it.each([
    [1280, 800],
    [640, 300],
  ])('keeps everything inside %d × %d, nothing over another', (width, height) => {
    for (const mode of ['find', 'notes'] as const) {
      const { wave, field, ladder } = boxesOf(width, height, mode);
      expect(wave.top + wave.height).toBeLessThan(field.top);
      expect(field.top + field.height).toBeLessThan(height);
      expect([field.left, field.width]).toEqual([wave.left, wave.width]);
      const right = ladder ? ladder.left + ladder.width : field.left + field.width;
      expect(right).toBeLessThan(width);
      if (ladder) expect(ladder.left).toBeGreaterThan(field.left + field.width);
    }
  });
});
