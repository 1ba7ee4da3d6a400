import { describe, expect, it } from 'vitest';
import type { Document } from '../api/client';
import { bpmAt, countIn, secondsPerBeat } from './bars';

const session = (tempo: object) => ({ tempo }) as unknown as Document;

describe('a bar of count-in', () => {
  it('has as many beats as a bar, the first the loudest', () => {
    expect(countIn(session({ beats_per_bar: 3 }))).toEqual([1, 0.6, 0.6]);
    expect(countIn(session({}))).toHaveLength(4);
  });

  it('keeps to the tempo that holds there', () => {
    const moving = session({ bpm: 120, beat_unit: 4, changes: [{ time_s: 10, bpm: 60 }] });
    expect(bpmAt(moving, 9.9)).toBe(120);
    expect(bpmAt(moving, 10)).toBe(60);
    expect(secondsPerBeat(moving, 12)).toBe(1);
    expect(secondsPerBeat(session({ bpm: 120, beat_unit: 8 }), 0)).toBe(0.25);
  });
});
