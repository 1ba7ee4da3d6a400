import { expect, test } from 'vitest';
import { stepReach, within } from './reach';

const REACHES = 5;
const follows = [0, 0, 2, 2, 4].map((reach) => ({ reach }));

test('a wider reach holds all of a narrower one', () => {
  expect([0, 1, 2, 3, 4].map((reach) => within(follows, reach).length)).toEqual([2, 2, 4, 4, 5]);
});

test('a step goes on until more or fewer follow', () => {
  expect(stepReach(follows, 2, REACHES, 1)).toBe(4);
  expect(stepReach(follows, 2, REACHES, -1)).toBe(1);
});

test('there is no step where none is more or less alike', () => {
  expect(stepReach(follows, 4, REACHES, 1)).toBe(4);
  expect(stepReach(follows, 0, REACHES, -1)).toBe(0);
  expect(stepReach([], 2, REACHES, 1)).toBe(2);
});
