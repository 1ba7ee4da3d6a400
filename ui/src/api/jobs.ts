import { client, Refusal, take, type Schema } from './client';

export type JobState = Schema['JobState'];
const ASKED_EVERY_MS = 150;

/**
 * Follow a job until it is over: each state on the way is told; throws the server's sentence where it failed.
 */
export async function followed(begun: JobState, tell: (now: JobState) => void): Promise<JobState> {
  let now = begun;
  for (tell(now); !now.done && !now.problem; tell(now)) {
    await new Promise((done) => setTimeout(done, ASKED_EVERY_MS));
    now = await take(client.GET('/api/jobs/{job_id}', { params: { path: { job_id: now.job_id } } }));
  }
  if (now.problem) throw new Refusal(now.problem, 0);
  return now;
}

/** No more of a job is wanted. */
export function stopped(jobId: string): Promise<unknown> {
  return take(client.DELETE('/api/jobs/{job_id}', { params: { path: { job_id: jobId } } }));
}

/** Let the browser keep the file of a job that is done. */
export function fetched(jobId: string): void {
  const link = window.document.createElement('a');
  link.href = `/api/jobs/${jobId}/file`;
  link.download = '';
  link.click();
}
