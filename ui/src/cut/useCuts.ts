import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { client, take, type Document, type Schema } from '../api/client';
import { newId, type Doing } from '../api/session';

type Changes = Schema['SetCut']['changes'];
const SAME_S = 0.008; // marks nearer than this speak of one cut

/** How a source is cut, and what a hand does to its cuts. */
export function useCuts(doing: Doing, document: Document, revision: number, sourceId: string) {
  const path = { session_id: doing.id, source_id: sourceId };
  const asked = useQuery({
    queryKey: ['slices', doing.id, sourceId, revision],
    queryFn: () =>
      take(client.GET('/api/sessions/{session_id}/sources/{source_id}/slices', { params: { path } })),
    enabled: Boolean(sourceId),
    retry: false,
    placeholderData: keepPreviousData,
  });
  const marks = document.sources?.[sourceId]?.cuts ?? {};
  const markOf = (foundS: number) =>
    Object.entries(marks).find(([, mark]) => Math.abs(mark.found_s - foundS) <= SAME_S);
  const mark = (found_s: number, changes: Omit<Schema['CutMark'], 'found_s'>) =>
    doing.act({
      kind: 'mark_cuts',
      source_id: sourceId,
      marks: { [newId()]: { found_s, ...changes } },
      remove: [],
    });
  const takeBack = (foundS: number) => {
    const known = markOf(foundS);
    return known
      ? doing.act({ kind: 'mark_cuts', source_id: sourceId, marks: {}, remove: [known[0]] })
      : Promise.resolve(false);
  };
  return {
    cut: asked.error ? undefined : asked.data,
    problem: asked.error,
    set: (changes: Changes) => doing.act({ kind: 'set_cut', source_id: sourceId, changes }),
    put: (move: Omit<Schema['MoveCut'], 'revision'>) =>
      doing.revised((now) =>
        client.POST('/api/sessions/{session_id}/sources/{source_id}/cuts', {
          params: { path },
          body: { ...move, revision: now },
        }),
      ),
    fade: (foundS: number, which: 'in' | 'out', ms: number) =>
      mark(foundS, { kind: 'keep', ...(which === 'in' ? { fade_in_ms: ms } : { fade_out_ms: ms }) }),
    // What was added by hand goes away as a whole; what was found is left out.
    drop: (foundS: number) =>
      markOf(foundS)?.[1].kind === 'add' ? takeBack(foundS) : mark(foundS, { kind: 'drop' }),
    takeBack,
  };
}
