import { describe, expect, it, vi } from 'vitest';

vi.stubGlobal('localStorage', { getItem: () => null });
const { noteName } = await import('./noteName');

describe('note names', () => {
  // MIDI 1.0: note 60 is middle C; which octave that is called differs between makers (common practice).
  it.each([
    [60, 3, '60 · C3'],
    [60, 4, '60 · C4'],
    [36, 3, '36 · C1'],
    [59, 3, '59 · B2'],
    [61, 3, '61 · C♯3'],
    [0, 3, '0 · C-2'],
    [127, 4, '127 · G9'],
  ])('note %d where middle C is C%d is %s', (note, middleC, said) => {
    expect(noteName(note, middleC).replace('−', '-')).toBe(said);
  });
});
