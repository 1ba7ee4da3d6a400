import { describe, expect, it } from 'vitest';
import type { Document, Piece } from '../api/client';
import { notedParts, orderedParts } from './bench';

const part = (place: number, piece: string) => ({ place, piece, sources: [] });
const document = {
  parts: {
    c: part(1, 'snare'),
    a: part(2, 'room'),
    d: part(0, 'kick'),
    b: part(1, 'hi-hat'),
    e: part(3, 'unheard of'),
  },
} as unknown as Document;
const pieces = new Map([
  ['kick', { noted: true }],
  ['snare', { noted: true }],
  ['hi-hat', { noted: true }],
  ['room', { noted: false }],
] as [string, Piece][]);

describe('parts', () => {
  it('stand in their places, and of one place always in the same order', () => {
    expect(orderedParts(document).map(([id]) => id)).toEqual(['d', 'b', 'c', 'a', 'e']);
    expect(orderedParts({} as Document)).toEqual([]);
  });

  it('that are only heard give no notes; those of a piece that is not known do', () => {
    expect(notedParts(document, pieces).map(([id]) => id)).toEqual(['d', 'b', 'c', 'e']);
  });
});
