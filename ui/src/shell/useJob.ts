import { useState } from 'react';
import { followed, stopped, type JobState } from '../api/jobs';
import { useWindow } from '../state/window';

/** A job that this window began: how far it is, and what was said where it failed. */
export function useJob() {
  const notify = useWindow((state) => state.notify);
  const [job, setJob] = useState<JobState | null>(null);
  const tell = (error: unknown) => notify(error instanceof Error ? error.message : String(error));
  const run = async (begin: () => Promise<JobState>, done: (job: JobState) => void) => {
    try {
      done(await followed(await begin(), setJob));
    } catch (error) {
      tell(error);
    } finally {
      setJob(null);
    }
  };
  const cancel = () => {
    if (job) void stopped(job.job_id).catch(tell);
  };
  return { job, run, cancel };
}
