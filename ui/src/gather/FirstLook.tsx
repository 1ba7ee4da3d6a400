import { useEffect, useRef, useState } from 'react';
import { KeyOf } from '../commands/KeyOf';
import type { BenchProps } from '../shell/bench';
import { doubtfulIn, heardIn, timeLeft } from './heard';

/** What was heard, and what to look at first; while it is being listened to, how long that still takes. */
export function FirstLook({ document, overview, onLook }: BenchProps & { onLook: () => void }) {
  const said = heardIn(document, overview);
  const parts = overview?.parts ?? [];
  const share = parts.length ? parts.reduce((sum, part) => sum + part.progress, 0) / parts.length : 1;
  const left = useTimeLeft(share);
  if (said)
    return (
      <p className="first-look" role="status" data-testid="first-look">
        <strong>{said}.</strong>{' '}
        {doubtfulIn(overview) > 0 ? (
          <button type="button" className="plain-act" onClick={onLook}>
            <KeyOf of="secondLook" /> Look at them, the worst first
          </button>
        ) : (
          <span className="about">
            <KeyOf of="nextBench" /> goes on to Find.
          </span>
        )}
      </p>
    );
  if (share >= 1 || !parts.length) return null;
  return (
    <p className="first-look" role="status" data-testid="first-look">
      Listening{left ? `, ${left}` : ' …'}
    </p>
  );
}

/** How long what is `share` done still takes, as it went so far. */
function useTimeLeft(share: number): string | null {
  const from = useRef<{ share: number; ms: number } | null>(null);
  const [left, setLeft] = useState<string | null>(null);
  useEffect(() => {
    const ms = performance.now();
    if (share >= 1) from.current = null;
    // Something came that was not counted before.
    else if (!from.current || share < from.current.share) from.current = { share, ms };
    const begun = from.current;
    // Only what has happened tells it: the clock is read when more of it is done.
    setLeft(begun && timeLeft(begun, share, ms));
  }, [share]);
  return left;
}
