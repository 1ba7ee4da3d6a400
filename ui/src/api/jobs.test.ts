// @vitest-environment jsdom
import { afterEach, describe, expect, it, vi } from 'vitest';
import { followed, type JobState } from './jobs';

const begun: JobState = {
  job_id: 'j',
  kind: 'print',
  share: 0,
  done: false,
  report: null,
  opened: null,
  problem: null,
};

/** Answer the jobs that are asked for with these states, one after the other. */
function answering(...states: Partial<JobState>[]) {
  let at = 0;
  vi.stubGlobal('fetch', async () => {
    const state = { ...begun, ...states[Math.min(at++, states.length - 1)] };
    return new Response(JSON.stringify(state), { headers: { 'content-type': 'application/json' } });
  });
}

afterEach(() => vi.unstubAllGlobals());

describe('a job that is followed', () => {
  it('tells every state on the way and gives the last', async () => {
    answering({ share: 0.4 }, { share: 1, done: true });
    const told: number[] = [];
    const last = await followed(begun, (now) => told.push(now.share));
    expect(told).toEqual([0, 0.4, 1]);
    expect(last.done).toBe(true);
  });

  it('throws the sentence of the server where it failed', async () => {
    answering({
      problem: { what: 'The disk is full.', kept: 'Nothing was written.', todo: '', state: null },
    });
    await expect(followed(begun, () => {})).rejects.toThrow('The disk is full. Nothing was written.');
  });

  it('asks nothing where it is over already', async () => {
    answering();
    await expect(followed({ ...begun, done: true }, () => {})).resolves.toMatchObject({ done: true });
  });
});
