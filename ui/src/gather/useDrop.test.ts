import { describe, expect, it } from 'vitest';
import { NOTE_ENDINGS, readsNotes } from './useDrop';

describe('what brings notes in', () => {
  it('is told by its ending, in capitals too; everything else is a recording', () => {
    expect(readsNotes('Lantern dance.MID')).toBe('midi/parts');
    expect(readsNotes('hits of act one.csv')).toBe('hits');
    expect(readsNotes('act one.jams')).toBe('hits');
    expect(readsNotes('midi.wav')).toBeNull();
    expect(readsNotes('take.mid.flac')).toBeNull();
    expect(NOTE_ENDINGS).toBe('.mid,.midi,.csv,.json,.jams');
  });
});
