import { expect, test } from 'vitest';
import type { Piece } from '../api/client';
import { groupSaid, strokeSaid } from './said';
import type { SortMap } from './useSort';

const pieces = new Map([['floor-tom', { name: 'Floor tom' } as Piece]]);
const map = (more: Partial<SortMap> = {}) =>
  ({
    parts: [{ piece: 'kick' }],
    groups: [{ name: 'Kick', hits: 6, brightness_hz: 120, ring_s: 0.3 }],
    part: [0],
    group: [0],
    time_s: [1.5],
    brightness_hz: [120],
    ring_s: [0.3],
    alone: [true],
    by_hand: [false],
    sure: [0.62],
    other: ['floor-tom'],
    other_sure: [0.38],
    ...more,
  }) as unknown as SortMap;

test('a doubtful stroke says what it is, what else it could be, and how likely both are', () => {
  expect(strokeSaid(map(), 0, pieces)).toMatch(/^Kick with 62 %, else floor tom with 38 %\. 0:01\.50/);
});

test('what hardly anything speaks for is not said', () => {
  expect(strokeSaid(map({ other_sure: [0.04] }), 0, pieces)).not.toContain('else');
});

test('what a hand has said is not doubted', () => {
  expect(strokeSaid(map({ by_hand: [true] }), 0, pieces)).toMatch(/^Kick, said by hand\./);
});

test('it says when something else is struck with it', () => {
  expect(strokeSaid(map({ alone: [false] }), 0, pieces)).toContain('Struck together with another piece.');
});

test('a sound says how many strokes it has and how they sound', () => {
  expect(groupSaid(map(), 0)).toMatch(/^6 strokes, 120 Hz at the middle, ring 300 ms\.$/);
});
