import { useWindow } from '../state/window';

const NAMES = ['C', 'C♯', 'D', 'D♯', 'E', 'F', 'F♯', 'G', 'G♯', 'A', 'A♯', 'B'];

/**
 * A note number with its name, as “36 · C1”; which octave 60 is in is a preference, since programs disagree.
 */
export const noteName = (note: number, middleC: number): string =>
  `${note} · ${NAMES[note % 12]}${Math.floor(note / 12) - 5 + middleC}`;

/** Note names as this window's person reads them. */
export function useNoteName(): (note: number) => string {
  const middleC = useWindow((state) => state.middleC);
  return (note) => noteName(note, middleC);
}
