import { useEffect, useRef, useState } from 'react';
import { client, take, type Schema } from '../api/client';
import { useWindow } from '../state/window';

const CHUNK_S = 4;
const KEPT = 8;

/**
 * What the meters show at the line, or null where it stands: the server reads them, chunk by chunk, along the
 * time line.
 */
export function useMeters(id: string, revision: number, rateHz: number, lengthS: number): Reading | null {
  const playing = useWindow((state) => state.playing);
  const chunks = useRef(new Map<number, Schema['Meters'] | null>());
  const [reading, setReading] = useState<Reading | null>(null);
  useEffect(() => {
    const kept = chunks.current;
    kept.clear();
    const want = (number: number) => {
      if (kept.has(number) || number < 0 || number * CHUNK_S >= lengthS) return;
      kept.set(number, null);
      while (kept.size > KEPT) kept.delete(kept.keys().next().value!);
      const start = Math.round(number * CHUNK_S * rateHz);
      const frames = Math.min(
        Math.round(CHUNK_S * rateHz),
        Math.max(Math.round(lengthS * rateHz) - start, 1),
      );
      take(
        client.GET('/api/sessions/{session_id}/meters', {
          params: { path: { session_id: id }, query: { start, frames } },
        }),
      )
        .then((found) => kept.set(number, found))
        .catch(() => kept.delete(number));
    };
    if (!playing) {
      want(Math.floor(useWindow.getState().playheadS / CHUNK_S));
      return;
    }
    let frame = 0;
    const follow = () => {
      const atS = useWindow.getState().playheadS;
      const number = Math.floor(atS / CHUNK_S);
      want(number);
      want(number + 1);
      const chunk = kept.get(number);
      if (chunk) setReading(at(chunk, Math.floor((atS - chunk.start_s) / chunk.step_s)));
      frame = requestAnimationFrame(follow);
    };
    frame = requestAnimationFrame(follow);
    return () => cancelAnimationFrame(frame);
  }, [id, revision, rateHz, lengthS, playing]);
  return playing ? reading : null;
}

export interface Level {
  peakDb: number;
  loudness: number;
}

export interface Reading {
  parts: Map<string, { recording: Level; layers: Level }>;
  whole: Level;
}

const level = (columns: Schema['MeterColumns'], index: number): Level => {
  const i = Math.min(Math.max(index, 0), columns.peak_db.length - 1);
  return { peakDb: columns.peak_db[i] ?? -120, loudness: columns.loudness_lkfs[i] ?? -120 };
};

const at = (chunk: Schema['Meters'], index: number): Reading => ({
  parts: new Map(
    chunk.parts.map((one) => [
      one.part_id,
      { recording: level(one.recording, index), layers: level(one.layers, index) },
    ]),
  ),
  whole: level(chunk.whole, index),
});
