import type { Document, Overview, Part, Piece, Schema } from '../api/client';
import type { Doing } from '../api/session';

export const BENCHES = ['gather', 'find', 'layer', 'print'] as const;
export type BenchName = (typeof BENCHES)[number];

/** What every bench is handed. */
export interface BenchProps {
  doing: Doing;
  document: Document;
  revision: number;
  overview: Overview | undefined;
  library: Schema['Library'];
  pieces: Map<string, Piece>;
  partId: string | null;
  part: Part | null;
  piece: Piece | null;
}

export const orderedParts = (document: Document): [string, Part][] =>
  Object.entries(document.parts ?? {}).sort(([a, x], [b, y]) => x.place - y.place || a.localeCompare(b));

export const sessionLength = (document: Document): number =>
  Math.max(
    0,
    ...Object.values(document.sources ?? {}).flatMap((s) => s.clips.map((clip) => (clip.start_s ?? 0) + clip.length_s)),
  );
