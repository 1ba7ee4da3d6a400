import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { client, take, type Schema } from '../api/client';
import type { Heard, Match } from '../sound/player';
import { useWindow } from '../state/window';

/**
 * How loud what is heard is, over the loop or the whole session; asked for while it is to be heard at one
 * loudness.
 */
export function useLoudness(id: string, heard: Heard, revision: number | undefined, loop: Loop) {
  const matched = useWindow((state) => state.matched);
  const { rateHz, lengthS, partId, drumsOnly } = heard;
  return useQuery({
    queryKey: ['loudness', id, revision, partId, drumsOnly, loop?.startS, loop?.endS],
    queryFn: () =>
      take(
        client.GET('/api/sessions/{session_id}/loudness', {
          params: {
            path: { session_id: id },
            query: {
              start: Math.round((loop?.startS ?? 0) * rateHz),
              end: Math.round((loop?.endS ?? lengthS) * rateHz),
              ...(partId ? { part: partId } : {}),
              backing: !drumsOnly,
            },
          },
        }),
      ),
    enabled: matched && revision !== undefined && lengthS > 0,
    placeholderData: (old: Schema['Matched'] | undefined) => old,
  });
}

type Loop = { startS: number; endS: number } | null;

/** The gains that bring recording, layers and both to one loudness, or null where they sound as they are. */
export function useMatch(id: string, heard: Heard, revision: number | undefined, loop: Loop): Match | null {
  const matched = useWindow((state) => state.matched);
  const { data } = useLoudness(id, heard, revision, loop);
  return useMemo(
    () =>
      matched && data ? { recording: data.recording_db, layers: data.layers_db, both: data.both_db } : null,
    [matched, data],
  );
}
