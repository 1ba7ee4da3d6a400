import { useState } from 'react';
import { client, take } from '../api/client';
import { fetched, followed, stopped, type JobState } from '../api/jobs';
import { useWindow } from '../state/window';

/** The session as one file: packed by a worker, then kept by the browser. */
export function Archive({ sessionId }: { sessionId: string }) {
  const notify = useWindow((state) => state.notify);
  const [job, setJob] = useState<JobState | null>(null);
  const tell = (error: unknown) => notify(error instanceof Error ? error.message : String(error));
  const pack = async () => {
    try {
      const params = { path: { session_id: sessionId } };
      const begun = await take(client.POST('/api/sessions/{session_id}/archive/jobs', { params }));
      fetched((await followed(begun, setJob)).job_id);
    } catch (error) {
      tell(error);
    } finally {
      setJob(null);
    }
  };
  if (!job)
    return (
      <button type="button" className="plain-act" onClick={() => void pack()}>
        The session itself, as one archive
      </button>
    );
  return (
    <>
      <span className="number" role="status">
        packing, {Math.round(job.share * 100)} %
      </span>{' '}
      <button type="button" className="plain-act light" onClick={() => void stopped(job.job_id).catch(tell)}>
        cancel
      </button>
    </>
  );
}
