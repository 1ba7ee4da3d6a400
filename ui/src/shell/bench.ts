import type { Document, Overview, Part, Piece, Schema } from '../api/client';
import type { Doing } from '../api/session';

export const BENCHES = ['gather', 'find', 'sort', 'shape', 'layer', 'mix', 'print'] as const;
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

/** The parts told from the moments of others. */
export const familyHeads = (document: Document): Set<string> =>
  new Set(Object.values(document.parts ?? {}).flatMap((part) => (isTold(part) ? part.sorted_from! : [])));

/** Whether a part was told from the moments of another, and not divided from it by hand. */
export const isTold = (part: Part): boolean =>
  Boolean(part.sorted_from) && part.divided_from !== part.sorted_from;

/** Whether a part holds only what a hand gave it: no threshold and no listening decides. */
export const isByHandOnly = (part: Part): boolean => Boolean(part.sorted_from) && !part.sounds?.length;

/** The part whose moments are sorted while a part is chosen: itself, what it was told from, or the first. */
export function headOf(document: Document, partId: string | null): string | null {
  const heads = familyHeads(document);
  const chosen = partId ? document.parts?.[partId] : undefined;
  if (partId && heads.has(partId)) return partId;
  if (chosen?.sorted_from && heads.has(chosen.sorted_from)) return chosen.sorted_from;
  return orderedParts(document).find(([id]) => heads.has(id))?.[0] ?? null;
}

/** The benches of a session: Sort is there when something was told apart, Mix when there is something to mix. */
export const benchesOf = (document: Document): BenchName[] =>
  BENCHES.filter(
    (name) =>
      (name !== 'sort' || familyHeads(document).size > 0) &&
      (name !== 'mix' || Object.keys(document.parts ?? {}).length > 0),
  );

/**
 * The parts whose strokes become notes, in their order: not rooms, nor what is only played along to, nor moments that
 * others were told from.
 */
export const notedParts = (document: Document, pieces: Map<string, Piece>): [string, Part][] => {
  const heads = familyHeads(document);
  return orderedParts(document).filter(
    ([id, part]) => (pieces.get(part.piece)?.noted ?? true) && !part.muted && !heads.has(id),
  );
};

export const orderedParts = (document: Document): [string, Part][] =>
  Object.entries(document.parts ?? {}).sort(
    ([a, x], [b, y]) =>
      x.place - y.place ||
      Number(Boolean(x.sorted_from)) - Number(Boolean(y.sorted_from)) ||
      (x.rank ?? 0) - (y.rank ?? 0) ||
      a.localeCompare(b),
  );
