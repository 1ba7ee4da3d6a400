import { describe, expect, it } from 'vitest';
import type { Document, Overview } from '../api/client';
import { heardIn, timeLeft } from './heard';

const part = (hits: number, doubtful: number, progress = 1, noted = true) =>
  ({
    time_s: Array.from({ length: hits }, (_, at) => at),
    doubtful,
    progress,
    noted,
  }) as Overview['parts'][0];
const session = (known: 'told' | 'no', ...aside: boolean[]) =>
  ({
    sources: Object.fromEntries(aside.map((one, at) => [`s${at}`, { aside: one }])),
    tempo: { known, bpm: 116.96, beats_per_bar: 4, beat_unit: 4 },
  }) as unknown as Document;
const overview = (...parts: Overview['parts']) => ({ parts }) as Overview;

describe('what was heard', () => {
  it('is said once everything is looked through', () => {
    const document = session('told', false, false, true);
    expect(heardIn(document, overview(part(300, 12), part(509, 5)))).toBe(
      '2 microphones, 117 bpm in 4/4, 809 strokes, 17 to look at',
    );
    expect(heardIn(document, overview(part(300, 12), part(9, 5, 0.4)))).toBeNull();
    expect(heardIn(document, undefined)).toBeNull();
  });

  it('counts no room, and says so where there is no tempo and no doubt', () => {
    expect(heardIn(session('no', false), overview(part(1, 0), part(40, 0, 1, false)))).toBe(
      '1 recording, no tempo yet, 1 stroke, none in doubt',
    );
  });
});

describe('the time that is left', () => {
  it('follows from how fast it went', () => {
    expect(timeLeft({ share: 0, ms: 0 }, 0.5, 10_000)).toBe('about 10 s more');
    expect(timeLeft({ share: 0.2, ms: 1000 }, 0.4, 31_000)).toBe('about 2 minutes more');
    expect(timeLeft({ share: 0, ms: 0 }, 0.25, 20_000)).toBe('about 1 minute more');
  });

  it('is not guessed from nothing, and over at the end', () => {
    expect(timeLeft({ share: 0, ms: 0 }, 0.01, 9000)).toBeNull();
    expect(timeLeft({ share: 0, ms: 0 }, 1, 9000)).toBeNull();
  });
});
