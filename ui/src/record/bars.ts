import type { Document } from '../api/client';

/** The tempo that holds at a place, in quarters a minute. */
export function bpmAt(document: Document, atS: number): number {
  const tempo = document.tempo ?? {};
  const before = (tempo.changes ?? []).filter((change) => change.time_s <= atS);
  return before[before.length - 1]?.bpm ?? tempo.bpm ?? 120;
}

export const secondsPerBeat = (document: Document, atS: number): number =>
  (60 / bpmAt(document, atS)) * (4 / (document.tempo?.beat_unit ?? 4));

/** How loud each click of a bar of count-in is; the first is the loudest. */
export function countIn(document: Document): number[] {
  const beats = document.tempo?.beats_per_bar ?? 4;
  return Array.from({ length: beats }, (_, k) => (k === 0 ? 1 : 0.6));
}
