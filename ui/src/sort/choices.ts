import type { Piece, Schema } from '../api/client';
import type { To } from './useSort';

/** One thing that strokes can be said to be, and the letter that says it. */
export interface Choice {
  key: string;
  piece: Piece;
  to: To;
  said: string;
  /** The same where there is little room. */
  short: string;
}

/** Strokes are this and no longer what they were. */
const MOVED = { also: false, nothing: false };

/** What no stroke of a loop is: whole recordings. */
const WHOLE = new Set(['whole', 'room']);

/** Every piece in every way it is struck, in the order of the library. */
export function choicesOf(library: Schema['Library']): Choice[] {
  return library.pieces
    .filter((piece) => !WHOLE.has(piece.family) || piece.id === 'else')
    .flatMap((piece) => {
      const ways = library.articulations[piece.id] ?? [];
      const plain = ways[0];
      const named = plain && piece.id === 'hi-hat' ? `${piece.name}, ${plain.name}` : piece.name;
      return [
        {
          key: piece.key,
          piece,
          to: { ...MOVED, piece: piece.id, articulation: plain?.id ?? null },
          said: named,
          short: shorter(named),
        },
        ...ways.slice(1).map((way) => ({
          key: way.key!,
          piece,
          to: { ...MOVED, piece: piece.id, articulation: way.id },
          said: `${piece.name}, ${way.name}`,
          short: shorter(`${piece.name}, ${way.name}`),
        })),
      ];
    });
}

const SHORT: Record<string, string> = {
  'Snare, side stick': 'Side stick',
  'Hi-hat, half open': 'Hat, half',
  'Ride, bell': 'Ride bell',
  'Something else': 'Other',
};
export const shorter = (name: string): string => SHORT[name] ?? name.replace('Hi-hat', 'Hat');
