import { describe, expect, it } from 'vitest';
import { drawAround, type Lasso, type MapEffect } from './lasso';

const SCENE = {
  points: [
    { x: 100, y: 100 },
    { x: 120, y: 100 },
    { x: 300, y: 200 },
  ],
  labels: [{ x: 280, y: 150, width: 60, group: 1 }],
};

type Step = [kind: 'down' | 'move' | 'up' | 'leave' | 'cancel', x: number, y: number, shift?: boolean];

function hand(...steps: Step[]): [Lasso | null, MapEffect[]] {
  let state: Lasso | null = null;
  const effects: MapEffect[] = [];
  for (const [kind, x, y, shift = false] of steps) {
    const [next, more] = drawAround(state, { kind, x, y, shift }, SCENE);
    state = next;
    effects.push(...more);
  }
  return [state, effects];
}
const last = (effects: MapEffect[]) => effects[effects.length - 1];

describe('a hand on the map', () => {
  it('points at the nearest stroke, and at nothing far from all', () => {
    expect(last(hand(['move', 104, 103])[1])).toEqual({ kind: 'point', index: 0, group: null });
    expect(last(hand(['move', 200, 20])[1])).toEqual({ kind: 'point', index: null, group: null });
    expect(last(hand(['leave', 0, 0])[1])).toEqual({ kind: 'point', index: null, group: null });
  });
  it('chooses by a click, and more with Shift', () => {
    expect(last(hand(['down', 121, 99], ['up', 121, 99])[1])).toEqual({
      kind: 'choose',
      indices: [1],
      more: false,
    });
    expect(last(hand(['down', 300, 199, true], ['up', 300, 199])[1])).toEqual({
      kind: 'choose',
      indices: [2],
      more: true,
    });
    expect(last(hand(['down', 10, 10], ['up', 10, 10])[1])).toEqual({
      kind: 'choose',
      indices: [],
      more: false,
    });
  });
  it('chooses a sound by its name', () => {
    expect(last(hand(['down', 300, 152], ['up', 300, 152])[1])).toEqual({
      kind: 'chooseGroup',
      group: 1,
      more: false,
    });
  });
  it('chooses what is drawn around', () => {
    const [state, effects] = hand(
      ['down', 80, 80],
      ['move', 150, 80],
      ['move', 150, 130],
      ['move', 80, 130],
      ['up', 80, 80],
    );
    expect(state).toBeNull();
    expect(last(effects)).toEqual({ kind: 'choose', indices: [0, 1], more: false });
    expect(effects.filter((effect) => effect.kind === 'line')).toHaveLength(4);
  });
  it('gives a line up on Escape and chooses nothing', () => {
    const [state, effects] = hand(['down', 80, 80], ['move', 150, 80], ['cancel', 0, 0]);
    expect(state).toBeNull();
    expect(last(effects)).toEqual({ kind: 'line', line: [] });
    expect(effects.some((effect) => effect.kind === 'choose')).toBe(false);
  });
});
