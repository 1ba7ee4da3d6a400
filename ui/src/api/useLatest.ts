import { useCallback, useEffect, useRef } from 'react';
import { useWindow } from '../state/window';

/**
 * Ask while something is being moved: one question is under way at a time, and of those that came meanwhile
 * only the latest is asked next, so a fast hand never queues up work. `forget` drops what has not been asked
 * yet.
 */
export function useLatest<T>(work: (wanted: T) => Promise<void>) {
  const busy = useRef(false);
  const wanted = useRef<{ of: T } | null>(null);
  const latest = useRef(work);
  useEffect(() => {
    latest.current = work;
  });
  const ask = useCallback(async (of: T) => {
    wanted.current = { of };
    if (busy.current) return;
    busy.current = true;
    try {
      while (wanted.current) {
        const next: T = wanted.current.of;
        wanted.current = null;
        await latest.current(next);
      }
    } catch (error) {
      wanted.current = null;
      useWindow.getState().notify(error instanceof Error ? error.message : String(error));
    } finally {
      busy.current = false;
    }
  }, []);
  const forget = useCallback(() => {
    wanted.current = null;
  }, []);
  return { ask, forget };
}
