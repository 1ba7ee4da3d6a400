const NAMES = ['C', 'C♯', 'D', 'D♯', 'E', 'F', 'F♯', 'G', 'G♯', 'A', 'A♯', 'B'];

/** A note number with its name, as “36 · C1”: 60 is C3, as most drum users say it. */
export const noteName = (note: number): string => `${note} · ${NAMES[note % 12]}${Math.floor(note / 12) - 2}`;
