import { useEffect, useState } from 'react';

/**
 * A value that is being moved, by mouse or keyboard: handed on once it has stood still for a moment. Null
 * while nothing moves.
 */
export function useSettled(
  onDone: (value: number) => void,
  stillMs: number,
): [number | null, (value: number) => void] {
  const [moved, setMoved] = useState<number | null>(null);
  useEffect(() => {
    if (moved === null) return;
    const timer = setTimeout(() => {
      onDone(moved);
      setMoved(null);
    }, stillMs);
    return () => clearTimeout(timer);
  }, [moved, onDone, stillMs]);
  return [moved, setMoved];
}
