import { useEffect } from 'react';
import { client, take } from '../api/client';
import { useWindow } from '../state/window';

const SOON_MS = 3000;

/** Take up what came in of recordings that nobody sends any more, as takes, and say so. */
export async function takeUp(sessionId: string): Promise<void> {
  try {
    const { names } = await take(
      client.POST('/api/sessions/{session_id}/recordings/cut-off', {
        params: { path: { session_id: sessionId } },
      }),
    );
    if (names.length)
      useWindow
        .getState()
        .notify(`A recording was cut off. What had come in is kept as ${names.join(', ')}.`, true);
  } catch {
    // It stays where it is, and is asked for again when the session is opened next.
  }
}

/** What was being recorded when a page or the server went away is taken up when its session is opened. */
export function useCutOff(sessionId: string): void {
  useEffect(() => {
    void takeUp(sessionId);
    // A page that was only loaded anew may come back sooner than the server knows that it was gone.
    const timer = setTimeout(() => void takeUp(sessionId), SOON_MS);
    return () => clearTimeout(timer);
  }, [sessionId]);
}
