import { useEffect, useRef, useState } from 'react';
import { client, take, type Decisions, type FindSettings, type Suspect } from '../api/client';

/** Ask why a candidate is what it is; the sentence is the server's. */
export function useReason(
  id: string,
  partId: string | null,
  decisions: Decisions | null,
  index: number | null,
  find: FindSettings | null,
): { text: string; suspect: Suspect | null } | null {
  const [said, setSaid] = useState<{ of: string; text: string; suspect: Suspect | null } | null>(null);
  const of =
    index === null || !decisions ? '' : `${partId} ${decisions.revision} ${index} ${JSON.stringify(find)}`;
  const latest = useRef(of);
  useEffect(() => {
    latest.current = of;
    if (!of || !partId || index === null) return;
    const path = { session_id: id, part_id: partId };
    take(
      client.POST('/api/sessions/{session_id}/parts/{part_id}/reason', {
        params: { path },
        body: { index, find },
      }),
    )
      .then(
        (answer) =>
          latest.current === of && setSaid({ of, text: answer.text, suspect: answer.suspect ?? null }),
      )
      .catch(() => undefined);
    // `of` names everything that is asked with.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [of]);
  return said && said.of === of ? said : null;
}
