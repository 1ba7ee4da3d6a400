import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { client, take, type Part } from '../api/client';
import type { Doing } from '../api/session';
import { useWindow } from '../state/window';
import type { Stage } from './chain';

/** The stages of a part, also while they are being set, and what they do to the stretch in view. */
export function useChain(
  doing: Doing,
  revision: number,
  partId: string | null,
  part: Part | null,
  number: number | null,
  lengthS: number,
) {
  const kept = (part?.chain ?? []) as Stage[];
  const [draft, setDraft] = useState<{ of: string; chain: Stage[] } | null>(null);
  const chain = draft && draft.of === partId ? draft.chain : kept;
  const view = useSettledView();
  const startS = Math.max(view.startS, 0);
  const endS = Math.min(view.startS + view.spanS, lengthS);
  const asked = { start_s: startS, end_s: endS, chain: draft?.of === partId ? chain : null, stage: number };
  const seen = useQuery({
    queryKey: ['stages', doing.id, partId, revision, asked],
    queryFn: () =>
      take(
        client.POST('/api/sessions/{session_id}/parts/{part_id}/stages', {
          params: { path: { session_id: doing.id, part_id: partId! } },
          body: asked as never,
        }),
      ).then((found) => ({ ...found, of: partId, startS, endS })),
    enabled: partId !== null && endS > startS,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return {
    chain,
    seen: seen.data?.of === partId ? seen.data : null,
    /** Stages on their way. */
    move: (next: Stage[]) => partId && setDraft({ of: partId, chain: next }),
    /** Stages as they shall be. */
    done: async (next: Stage[]) => {
      if (!partId) return;
      setDraft({ of: partId, chain: next });
      await doing.act({ kind: 'set_chain', part_id: partId, chain: next as never });
      setDraft(null);
    },
  };
}

export type ChainWork = ReturnType<typeof useChain>;

const REST_MS = 250;

/** The view once it stands still, so that nothing is asked for while it scrolls. */
function useSettledView() {
  const view = useWindow((state) => state.view);
  const [settled, setSettled] = useState(view);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(view), REST_MS);
    return () => clearTimeout(timer);
  }, [view]);
  return settled;
}
