import { useQuery } from '@tanstack/react-query';
import { client, post, take, type Schema } from '../api/client';
import { player } from '../sound/player';

export type SortMap = Schema['SortMap'];
export type Stroke = Schema['Stroke'];
export type To = Schema['To'];
export type Following = Schema['Following'];

const at = (id: string, headId: string) => ({ params: { path: { session_id: id, part_id: headId } } });

/** The sounds of a source, kept on screen while the next revision's are on their way. */
export const useSortMap = (id: string, headId: string | null, revision: number) =>
  useQuery({
    queryKey: ['sort', id, headId, revision],
    queryFn: () => take(client.GET('/api/sessions/{session_id}/sort/{part_id}', at(id, headId!))),
    enabled: headId !== null,
    placeholderData: (old, query) => (query?.queryKey[2] === headId ? old : undefined),
  });

/** What would follow if these strokes were given to something. */
export const askFollowing = (id: string, headId: string, strokes: Stroke[], to: To) =>
  take(
    client.POST('/api/sessions/{session_id}/sort/{part_id}/follow', {
      ...at(id, headId),
      body: { strokes, to },
    }),
  );

/** Hear moments one after the other. */
export async function hearMoments(
  id: string,
  headId: string,
  timesS: number[],
  rateHz: number,
): Promise<void> {
  const answer = await post(
    `/api/sessions/${id}/sort/${headId}/hear`,
    JSON.stringify({ time_s: timesS.slice(0, 60) }),
    { 'Content-Type': 'application/json' },
  );
  if (!answer.ok) throw new Error('These strokes could not be played. Nothing was changed.');
  await player.once(new Float32Array(await answer.arrayBuffer()), rateHz);
}
