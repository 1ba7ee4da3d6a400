import { useQuery } from '@tanstack/react-query';
import { client, take } from '../api/client';

/** How a layer is best put against the recording; asked for when it is looked at. */
export const useLock = (id: string, partId: string | null, layerId: string | null, revision: number) =>
  useQuery({
    queryKey: ['lock', id, partId, layerId, revision],
    queryFn: () =>
      take(
        client.GET('/api/sessions/{session_id}/parts/{part_id}/layers/{layer_id}/lock', {
          params: { path: { session_id: id, part_id: partId!, layer_id: layerId! } },
        }),
      ),
    enabled: partId !== null && layerId !== null,
    retry: false,
    placeholderData: (old, query) => (query?.queryKey[3] === layerId ? old : undefined),
  });

/** All hits of a part at their attack, and the layer over them. */
export const useOverlay = (
  id: string,
  partId: string | null,
  layerId: string | null,
  revision: number,
  on: boolean,
) =>
  useQuery({
    queryKey: ['overlay', id, partId, layerId, revision],
    queryFn: () =>
      take(
        client.GET('/api/sessions/{session_id}/parts/{part_id}/layers/{layer_id}/overlay', {
          params: { path: { session_id: id, part_id: partId!, layer_id: layerId! } },
        }),
      ),
    enabled: on && partId !== null && layerId !== null,
    retry: false,
    placeholderData: (old) => old,
  });
