import { useQuery } from '@tanstack/react-query';
import { useCallback, useState } from 'react';
import { client, take, type Schema } from '../api/client';
import type { Doing } from '../api/session';
import { useLatest } from '../api/useLatest';

export type Columns = Schema['ShapeColumns'];
export type ShapeSettings = Schema['ShapeSettings'];
export type Step = NonNullable<ShapeSettings['steps']>[number];
export type Timing = NonNullable<ShapeSettings['timing']>;
export type Changes = Schema['ShapeChanges'];
export type Grid = Schema['Grid'];
export type Point = Schema['StrengthPoint'];

const askShape = (id: string, partId: string, body: Partial<Schema['AskShape']>) =>
  take(
    client.POST('/api/sessions/{session_id}/parts/{part_id}/shape', {
      params: { path: { session_id: id, part_id: partId } },
      body: { before: false, ...body },
    }),
  );

interface Draft {
  partId: string;
  shape: ShapeSettings;
  columns: Columns | null;
  /** Let go: it stands until the server has told of this revision, so that nothing flickers. */
  until: number | null;
}

/**
 * A part's notes, and its shape settings while they are moved: every move is answered at once, letting go
 * makes an edit.
 */
export function useShape(
  doing: Doing,
  partId: string | null,
  revision: number,
  ready: boolean,
  before: boolean,
  grid: Grid | null,
) {
  const [draft, setDraft] = useState<Draft | null>(null);
  const standing = useQuery({
    queryKey: ['shape', doing.id, partId, revision, ready, before, grid],
    queryFn: () => askShape(doing.id, partId!, { before, grid }),
    enabled: partId !== null,
    placeholderData: (old, query) => (query?.queryKey[2] === partId ? old : undefined),
  });
  const told = draft?.until !== null && (standing.data?.revision ?? -1) >= (draft?.until ?? 0);
  const mine = draft?.partId === partId && !told ? draft : null;
  const { ask, forget } = useLatest(async ({ of, shape }: { of: string; shape: ShapeSettings }) => {
    const columns = await askShape(doing.id, of, { shape, grid });
    setDraft((now) => (now?.partId === of ? { ...now, columns } : now));
  });
  const kept = standing.data?.shape;
  const move = useCallback(
    (changes: Changes) => {
      if (!partId || !kept) return;
      const shape = { ...kept, ...changes } as ShapeSettings;
      setDraft((now) => ({
        partId,
        shape,
        columns: now?.partId === partId ? now.columns : null,
        until: null,
      }));
      void ask({ of: partId, shape });
    },
    [ask, partId, kept],
  );
  const done = useCallback(
    async (changes: Changes) => {
      if (!partId) return;
      forget();
      const done = await doing.act({ kind: 'set_shape', part_id: partId, changes });
      const until = doing.state()?.revision ?? null;
      setDraft((now) => (done && now ? { ...now, until } : null));
    },
    [doing, partId, forget],
  );
  /** Leave the settings as they were before they were moved. */
  const leave = useCallback(() => {
    forget();
    setDraft(null);
  }, [forget]);
  return {
    columns: mine?.columns ?? standing.data ?? null,
    standing: standing.data ?? null,
    shape: mine?.shape ?? kept ?? null,
    move,
    done,
    leave,
  };
}

/** What names a note in the window: when it was struck, or where it was put. */
export const placeOf = (columns: Columns, index: number): number => columns.struck_s[index]!;
