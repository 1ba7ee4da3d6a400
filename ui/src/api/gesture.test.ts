import { expect, test } from 'vitest';
import { gestureOf, watchHand } from './gesture';

test('presses of a key that follow each other are one gesture, and a later one is another', () => {
  const first = gestureOf('threshold of a kick', 1000);
  expect(gestureOf('threshold of a kick', 2400)).toBe(first);
  expect(gestureOf('threshold of a kick', 3800)).toBe(first);
  expect(gestureOf('threshold of a kick', 5400)).not.toBe(first);
});

test('what changes something else is another gesture', () => {
  const first = gestureOf('threshold of a kick', 20_000);
  expect(gestureOf('threshold of a snare', 20_100)).not.toBe(first);
});

test('a hand that pauses while it holds the mouse is at the same gesture', () => {
  const hand = new EventTarget();
  watchHand(hand);
  hand.dispatchEvent(new Event('pointerdown'));
  const begun = performance.now();
  const first = gestureOf('level of a layer', begun + 10);
  expect(gestureOf('level of a layer', begun + 9000)).toBe(first);
  hand.dispatchEvent(new Event('pointerup'));
  expect(gestureOf('level of a layer', begun + 20_000)).not.toBe(first);
});
