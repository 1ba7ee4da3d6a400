import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useMemo } from 'react';
import { client, take, type Schema } from '../api/client';
import type { BenchProps } from '../shell/bench';
import { strokes } from '../sound/strokes';

export type Do = Schema['WriteAt']['do'];
export type Grid = Schema['Grid'];

/** A bar as it is read, and what a hand does to it. */
export function useWriting(
  { doing, document, revision }: Pick<BenchProps, 'doing' | 'document' | 'revision'>,
  bar: number,
  grid: Grid,
) {
  const step = grid.step ?? 16;
  const kind = grid.kind ?? 'straight';
  const params = { path: { session_id: doing.id } };
  const asked = useQuery({
    queryKey: ['bar', doing.id, bar, step, kind, revision],
    queryFn: () =>
      take(
        client.GET('/api/sessions/{session_id}/bars/{bar}', {
          params: { path: { session_id: doing.id, bar }, query: { step: `${step}`, kind } },
        }),
      ),
    retry: false,
    placeholderData: keepPreviousData,
  });
  // What single strokes sound like depends on a part's layers and its recording.
  const versions = useMemo(
    () =>
      new Map(
        Object.entries(document.parts ?? {}).map(([id, part]) => [
          id,
          JSON.stringify([part.layers, part.sources, part.blend?.layers_db]),
        ]),
      ),
    [document],
  );
  const rateHz = document.rate_hz ?? 44100;
  const of = (partId: string) => ({
    sessionId: doing.id,
    partId,
    version: versions.get(partId) ?? '',
    rateHz,
  });
  const hear = (partId: string, velocity: number, note: number | null = null) =>
    void strokes.play(of(partId), velocity, note);
  const lines = asked.data?.lines;
  useEffect(() => {
    for (const line of lines ?? []) void strokes.take(of(line.part_id), 100);
    // Only when a part comes, goes or sounds different.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [versions, lines?.length]);
  return {
    bar: asked.data,
    stale: asked.isPlaceholderData,
    problem: asked.error,
    hear,
    /** Write, change or take away a stroke; it is heard as it is then. */
    write: (at: Omit<Schema['WriteAt'], 'revision' | 'bar' | 'grid'> & { bar?: number }) => {
      let wrote: Schema['Wrote'] | null = null;
      return doing
        .revised(async (revision) => {
          const answer = await client.POST('/api/sessions/{session_id}/bars/write', {
            params,
            body: { ...at, bar: at.bar ?? bar, revision, grid },
          });
          wrote = answer.data ?? null;
          return { ...answer, data: answer.data?.state };
        })
        .then((done) => {
          if (done && wrote?.velocity) hear(wrote.part_id, wrote.velocity, wrote.note);
          return done ? wrote : null;
        });
    },
    copy: (body: Omit<Schema['CopyBars'], 'revision'>) =>
      doing.revised((revision) =>
        client.POST('/api/sessions/{session_id}/bars/copy', { params, body: { ...body, revision } }),
      ),
    feel: (body: Omit<Schema['FeelBars'], 'revision'>) =>
      doing.revised((revision) =>
        client.POST('/api/sessions/{session_id}/bars/feel', { params, body: { ...body, revision } }),
      ),
    empty: (body: Omit<Schema['EmptyBars'], 'revision'>) =>
      doing.revised((revision) =>
        client.POST('/api/sessions/{session_id}/bars/empty', { params, body: { ...body, revision } }),
      ),
    played: (body: Omit<Schema['PlayedPass'], 'revision'>) =>
      doing.revised((revision) =>
        client.POST('/api/sessions/{session_id}/bars/played', { params, body: { ...body, revision } }),
      ),
    soundWith: (kit_id: string) =>
      doing.revised((revision) =>
        client.POST('/api/sessions/{session_id}/bars/kit', { params, body: { revision, kit_id } }),
      ),
  };
}
