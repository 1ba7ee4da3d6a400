import { useCallback } from 'react';
import type { FindSettings, Part, Schema } from '../api/client';
import { askDecisions, type Doing } from '../api/session';
import { gestureOf } from '../api/gesture';
import { useLatest } from '../api/useLatest';
import { useWindow } from '../state/window';

type SetFind = Schema['SetFind'];

/**
 * Settings that are being moved: every move is decided by the server at once, and only letting go makes an
 * edit of it.
 */
export function useDraft(doing: Doing, partId: string | null, part: Part | null) {
  const { ask, forget } = useLatest(async ({ of, find }: { of: string; find: FindSettings }) => {
    const decisions = await askDecisions(doing.id, of, find);
    const { draft, set } = useWindow.getState();
    if (draft?.partId === of) set({ draft: { ...draft, decisions } });
  });

  const move = useCallback(
    (changes: Partial<FindSettings>) => {
      if (!partId || !part) return;
      const { draft, set } = useWindow.getState();
      const from = draft?.partId === partId ? draft : null;
      const find = { ...part.find, ...from?.find, ...changes } as FindSettings;
      set({ draft: { partId, find, decisions: from?.decisions ?? null } });
      void ask({ of: partId, find });
    },
    [ask, partId, part],
  );

  const done = useCallback(
    async (changes: Partial<FindSettings>) => {
      if (!partId) return;
      forget();
      const what = `find ${partId} ${Object.keys(changes).sort().join(' ')}`;
      const action = { kind: 'set_find', part_id: partId, changes: changes as SetFind['changes'] } as const;
      // Numbers are nudged and dragged; points of a line are set one by one.
      const isNudged = Object.values(changes).every((value) => typeof value === 'number');
      await doing.act(action, isNudged ? gestureOf(what) : null);
      const { draft, set } = useWindow.getState();
      if (draft?.partId === partId) set({ draft: null });
    },
    [doing, partId, forget],
  );
  /** Leave the settings as they were before they were moved. */
  const leave = useCallback(() => {
    forget();
    useWindow.getState().set({ draft: null });
  }, [forget]);
  return { move, done, leave };
}
