import type { Document, Overview, Part, Piece, Schema } from '../api/client';
import type { Doing } from '../api/session';

export const BENCHES = ['gather', 'find', 'shape', 'layer', 'print'] as const;
export type BenchName = (typeof BENCHES)[number];

/** What every bench is handed. */
export interface BenchProps {
  doing: Doing;
  document: Document;
  revision: number;
  lengthS: number;
  overview: Overview | undefined;
  library: Schema['Library'];
  pieces: Map<string, Piece>;
  partId: string | null;
  part: Part | null;
  piece: Piece | null;
}

/** The parts whose strokes become notes, in their order: not rooms, nor what is only played along to. */
export const notedParts = (document: Document, pieces: Map<string, Piece>): [string, Part][] =>
  orderedParts(document).filter(([, part]) => pieces.get(part.piece)?.noted ?? true);

export const orderedParts = (document: Document): [string, Part][] =>
  Object.entries(document.parts ?? {}).sort(([a, x], [b, y]) => x.place - y.place || a.localeCompare(b));
