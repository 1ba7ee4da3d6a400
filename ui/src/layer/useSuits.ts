import { useQuery } from '@tanstack/react-query';
import { client, take } from '../api/client';

export type Order = 'kit' | 'likeness' | 'adds';

/** The library's sounds as they suit a part; asked for when they are to stand in that order. */
export const useSuits = (id: string, partId: string | null, revision: number, by: Order) =>
  useQuery({
    queryKey: ['suits', id, partId, revision, by],
    queryFn: () =>
      take(
        client.GET('/api/sessions/{session_id}/parts/{part_id}/suits', {
          params: { path: { session_id: id, part_id: partId! }, query: { by: by as 'likeness' | 'adds' } },
        }),
      ),
    enabled: by !== 'kit' && partId !== null,
    retry: false,
    placeholderData: (old, query) =>
      query?.queryKey[2] === partId && query?.queryKey[4] === by ? old : undefined,
  });
