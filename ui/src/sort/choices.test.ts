import { expect, test } from 'vitest';
import type { Piece, Schema } from '../api/client';
import { choicesOf } from './choices';

const piece = (id: string, name: string, key: string, family = 'drum') =>
  ({ id, name, key, family }) as unknown as Piece;
const library = {
  pieces: [
    piece('kick', 'Kick', 'k'),
    piece('hi-hat', 'Hi-hat', 'h', 'cymbal'),
    piece('snare', 'Snare', 's'),
    piece('loop', 'Loop', 'o', 'whole'),
    piece('room', 'Room', 'r', 'room'),
    piece('else', 'Something else', 'e', 'whole'),
  ],
  articulations: {
    'hi-hat': [
      { id: 'closed', name: 'closed', key: null },
      { id: 'open', name: 'open', key: 'p' },
    ],
    snare: [
      { id: 'centre', name: 'centre', key: null },
      { id: 'side', name: 'side stick', key: 'i' },
    ],
  },
} as unknown as Schema['Library'];
const choices = choicesOf(library);

test('every piece in every way it is struck can be said, and no whole recording', () => {
  expect(choices.map((one) => one.short)).toEqual([
    'Kick',
    'Hat, closed',
    'Hat, open',
    'Snare',
    'Side stick',
    'Other',
  ]);
});

test('a letter says one thing only', () => {
  const keys = choices.map((one) => one.key);
  expect(new Set(keys).size).toBe(keys.length);
});

test('a piece that is struck in several ways is given with the plain one', () => {
  expect(choices.map(({ to }) => to.articulation)).toEqual([null, 'closed', 'open', 'centre', 'side', null]);
});
