import { useQueryClient } from '@tanstack/react-query';
import { client, take, type Schema } from '../api/client';
import { useJob } from '../shell/useJob';
import { useWindow } from '../state/window';

const BUSY = 'A kit is being made. Make the next one when it is done, or cancel it.';

/** Keep strokes or slices of a session as a kit of the library; a worker makes it. */
export function useKeptKit(sessionId: string) {
  const queries = useQueryClient();
  const notify = useWindow((state) => state.notify);
  const { job, run, cancel } = useJob();
  const keep = (body: Partial<Schema['KitChoice']>, onKept?: (kit: Schema['RecordedKit']) => void) =>
    job
      ? Promise.resolve(notify(BUSY, true))
      : run(
          () =>
            take(
              client.POST('/api/sessions/{session_id}/kit/jobs', {
                params: { path: { session_id: sessionId } },
                body: body as Schema['KitChoice'],
              }),
            ),
          (done) => {
            void queries.invalidateQueries({ queryKey: ['library'] });
            if (!done.kit) return;
            if (onKept) onKept(done.kit);
            else notify(`“${done.kit.name}” is in the library now. Layer and Write can use it.`, true);
          },
        );
  return { job, keep, cancel };
}
