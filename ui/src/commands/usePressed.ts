import { useRef } from 'react';

const STILL_GOING_MS = 900;

/**
 * What a fast hand has set and the server has not told back yet, by what it is: a second press goes on from
 * there instead of from what is shown.
 */
export function usePressed<T>() {
  const last = useRef(new Map<string, { value: T; atMs: number }>());
  return {
    of: (what: string): T | undefined => {
      const found = last.current.get(what);
      return found && performance.now() - found.atMs < STILL_GOING_MS ? found.value : undefined;
    },
    put: (what: string, value: T): void => {
      last.current.set(what, { value, atMs: performance.now() });
    },
  };
}
