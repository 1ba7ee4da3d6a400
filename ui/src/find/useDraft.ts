import { useCallback, useRef } from 'react';
import type { FindSettings, Part } from '../api/client';
import { askDecisions, type Doing } from '../api/session';
import { useWindow } from '../state/window';

/**
 * Settings that are being moved: every move is decided by the server at once, the latest wins, and only letting go makes an
 * edit of it. One question is under way at a time, so a fast hand never queues up work.
 */
export function useDraft(doing: Doing, partId: string | null, part: Part | null) {
  const busy = useRef(false);
  const wanted = useRef<FindSettings | null>(null);

  const ask = useCallback(async () => {
    if (busy.current || !partId) return;
    busy.current = true;
    try {
      while (wanted.current) {
        const find = wanted.current;
        wanted.current = null;
        const decisions = await askDecisions(doing.id, partId, find);
        const { draft, set } = useWindow.getState();
        if (draft?.partId === partId) set({ draft: { ...draft, decisions } });
      }
    } catch {
      wanted.current = null;
    } finally {
      busy.current = false;
    }
  }, [doing, partId]);

  const move = useCallback(
    (changes: Partial<FindSettings>) => {
      if (!partId || !part) return;
      const { draft, set } = useWindow.getState();
      const from = draft?.partId === partId ? draft : null;
      const find = { ...part.find, ...from?.find, ...changes } as FindSettings;
      set({ draft: { partId, find, decisions: from?.decisions ?? null } });
      wanted.current = find;
      void ask();
    },
    [ask, partId, part],
  );

  const done = useCallback(
    async (changes: Partial<FindSettings>) => {
      if (!partId) return;
      wanted.current = null;
      await doing.act({ kind: 'set_find', part_id: partId, changes: changes as Record<string, number | null> });
      const { draft, set } = useWindow.getState();
      if (draft?.partId === partId) set({ draft: null });
    },
    [doing, partId],
  );
  return { move, done };
}
