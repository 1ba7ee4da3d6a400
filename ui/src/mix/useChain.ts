import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { client, take, type Document } from '../api/client';
import type { Doing } from '../api/session';
import { useWindow } from '../state/window';
import type { Stage } from './chain';
import { asked as named, chainOf, keyOf, type Target } from './target';

const REST_MS = 250;
const SETTLE_MS = 70;

interface Draft {
  of: string;
  chain: Stage[];
  /** The revision that holds it; null while it is not kept. */
  keptAs: number | null;
}

/** The stages of somebody, also while they are being set, and what they do to the stretch in view. */
export function useChain(
  doing: Doing,
  revision: number,
  document: Document,
  target: Target,
  number: number | null,
  lengthS: number,
) {
  const of = keyOf(target);
  const [draft, setDraft] = useState<Draft | null>(null);
  // A draft that was kept stands until the session as it then is has come, so that no stage goes away in between.
  const stands = draft && draft.of === of && (draft.keptAs === null || revision < draft.keptAs);
  const drafted = stands ? draft.chain : null;
  const chain = drafted ?? chainOf(document, target);
  const view = useSettled(
    useWindow((state) => state.view),
    REST_MS,
  );
  const startS = Math.max(view.startS, 0);
  const endS = Math.min(view.startS + view.spanS, lengthS);
  // While a setting is dragged, what it would do is asked for where it rests.
  const shown = useSettled(drafted, SETTLE_MS);
  const body = { ...named(target), start_s: startS, end_s: endS, chain: shown, stage: number };
  const there = target.busId !== null || target.partId !== null;
  const seen = useQuery({
    queryKey: ['stages', doing.id, revision, body],
    queryFn: () =>
      take(
        client.POST('/api/sessions/{session_id}/stages', {
          params: { path: { session_id: doing.id } },
          body: body as never,
        }),
      ).then((found) => ({ ...found, of, startS, endS })),
    enabled: there && endS > startS,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return {
    chain,
    seen: seen.data?.of === of ? seen.data : null,
    /** Stages on their way. */
    move: (next: Stage[]) => setDraft({ of, chain: next, keptAs: null }),
    /** Stages as they shall be. */
    done: async (next: Stage[]) => {
      setDraft({ of, chain: next, keptAs: null });
      const kept = await doing.act({ kind: 'set_chain', ...named(target), chain: next as never });
      const keptAs = kept ? (doing.state()?.revision ?? null) : null;
      // What was moved on meanwhile is another draft, and stays.
      setDraft((now) => (now?.chain !== next ? now : keptAs === null ? null : { ...now, keptAs }));
    },
  };
}

export type ChainWork = ReturnType<typeof useChain>;

/** A value once it has stood still so long. */
function useSettled<T>(value: T, restMs: number): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), restMs);
    return () => clearTimeout(timer);
  }, [value, restMs]);
  return settled;
}
