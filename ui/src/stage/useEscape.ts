import { useEffect, useRef } from 'react';

/**
 * Escape takes back whatever is dragged, before it means anything else. `giveUp` says whether something was.
 */
export function useEscape(giveUp: () => boolean): void {
  const latest = useRef(giveUp);
  useEffect(() => {
    latest.current = giveUp;
  });
  useEffect(() => {
    const escape = (event: KeyboardEvent) => {
      if (event.key !== 'Escape' || !latest.current()) return;
      event.preventDefault();
      event.stopImmediatePropagation();
    };
    window.addEventListener('keydown', escape, true);
    return () => window.removeEventListener('keydown', escape, true);
  }, []);
}
