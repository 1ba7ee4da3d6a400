import type { Schema } from '../api/client';

/** One way in which the piece of a part is struck, and the note it is written as. */
export interface Way {
  id: string;
  name: string;
  note: number;
}

/** The ways of striking a piece, the plain one first; one alone where it is struck in no other. */
export function waysOf(
  lines: Schema['NoteLine'][],
  articulations: Schema['Articulation'][],
  piece: string,
  own: number,
): Way[] {
  return articulations.map(({ id, name }, place) => ({
    id,
    name,
    note: place ? (lines.find((line) => line.piece === piece && line.way === id)?.note ?? own) : own,
  }));
}

/** The way after the one that a note stands for. */
export function wayAfter(ways: Way[], note: number): Way {
  const at = ways.findIndex((way) => way.note === note);
  const rest = ways.slice(at + 1).find((way) => way.note !== note);
  return rest ?? ways[0]!;
}
