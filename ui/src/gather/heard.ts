import type { Document, Overview } from '../api/client';
import { knownTempo } from '../stage/axes';

const counted = (count: number, one: string, more = `${one}s`): string =>
  `${count} ${count === 1 ? one : more}`;

/** What was heard in a session, once all of it is looked through; null before. */
export function heardIn(document: Document, overview: Overview | undefined): string | null {
  const sources = Object.values(document.sources ?? {}).filter((source) => !source.aside);
  if (!overview || !sources.length || overview.parts.some((part) => part.progress < 1)) return null;
  const noted = overview.parts.filter((part) => part.noted);
  const strokes = noted.reduce((sum, part) => sum + part.time_s.length, 0);
  const tempo = knownTempo(document);
  return [
    counted(sources.length, sources.length > 1 ? 'microphone' : 'recording'),
    tempo ? `${tempo.bpm.toFixed(0)} bpm in ${tempo.beats_per_bar}/${tempo.beat_unit}` : 'no tempo yet',
    counted(strokes, 'stroke'),
    doubtfulIn(overview) ? `${doubtfulIn(overview)} to look at` : 'none in doubt',
  ].join(', ');
}

/** How many places are worth a second look. */
export const doubtfulIn = (overview: Overview | undefined): number =>
  overview?.parts.reduce((sum, part) => sum + part.doubtful, 0) ?? 0;

/**
 * How long it still takes, in words: from how far it was at a first moment, and how far it is now. Null where
 * too little has happened to say.
 */
export function timeLeft(from: { share: number; ms: number }, share: number, ms: number): string | null {
  const done = share - from.share;
  if (done < 0.02 || share >= 1) return null;
  const leftS = Math.ceil((((ms - from.ms) / done) * (1 - share)) / 1000);
  if (leftS < 60) return `about ${Math.max(Math.ceil(leftS / 5) * 5, 5)} s more`;
  return `about ${counted(Math.ceil(leftS / 60), 'minute')} more`;
}
