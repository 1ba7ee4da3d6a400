import { client, take } from '../api/client';
import { fetched } from '../api/jobs';
import { UnderWay } from '../shell/UnderWay';
import { useJob } from '../shell/useJob';

/** The session as one file: packed by a worker, then kept by the browser. */
export function Archive({ sessionId }: { sessionId: string }) {
  const { job, run, cancel } = useJob();
  const params = { path: { session_id: sessionId } };
  const pack = () =>
    run(
      () => take(client.POST('/api/sessions/{session_id}/archive/jobs', { params })),
      (done) => fetched(done.job_id),
    );
  if (job) return <UnderWay job={job} said="packing" onCancel={cancel} />;
  return (
    <button type="button" className="plain-act" onClick={() => void pack()}>
      The session itself, as one archive
    </button>
  );
}
