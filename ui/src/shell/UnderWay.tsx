import type { JobState } from '../api/jobs';

/** How far a job is, and a way out of it. */
export function UnderWay({ job, said, onCancel }: { job: JobState; said: string; onCancel: () => void }) {
  return (
    <>
      <span className="number" role="status">
        {said}, {Math.round(job.share * 100)} %
      </span>{' '}
      <button type="button" className="plain-act light" onClick={onCancel}>
        cancel
      </button>
    </>
  );
}
