import { describe, expect, it } from 'vitest';
import type { Document, Part, Piece } from '../api/client';
import { benchesOf, headOf, notedParts } from './bench';

const part = (changes: Partial<Part>): Part =>
  ({ piece: 'snare', place: 0, sources: ['s'], ...changes }) as Part;
const session = (parts: Record<string, Part>) => ({ parts }) as unknown as Document;
const pieces = new Map<string, Piece>();

const sorted = session({
  loop: part({ piece: 'loop' }),
  kick: part({ piece: 'kick', sorted_from: 'loop', rank: 0 }),
  ghosts: part({ sorted_from: 'loop', divided_from: 'kick', rank: 1 }),
  close: part({ place: 1 }),
  divided: part({ place: 1, sorted_from: 'close', divided_from: 'close' }),
});

describe('parts under others', () => {
  it('are told from moments or divided by hand, and only the first make their whole silent', () => {
    expect(notedParts(sorted, pieces).map(([id]) => id)).toEqual(['kick', 'ghosts', 'close', 'divided']);
  });

  it('lead to the moments they were told from, else to the first that were sorted', () => {
    expect(['loop', 'kick', 'ghosts', 'close', 'divided'].map((id) => headOf(sorted, id))).toEqual(
      Array(5).fill('loop'),
    );
  });

  it('make Sort appear only where something was told from moments', () => {
    const { close, divided } = sorted.parts!;
    expect(benchesOf(session({ close: close!, divided: divided! }))).not.toContain('sort');
    expect(benchesOf(sorted)).toContain('sort');
  });
});
