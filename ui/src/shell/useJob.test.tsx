// @vitest-environment jsdom
import { act } from 'react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { show } from '../api/hook.fixture';
import type { JobState } from '../api/jobs';
import { useWindow } from '../state/window';
import { UnderWay } from './UnderWay';
import { useJob } from './useJob';

const begun: JobState = {
  job_id: 'j',
  kind: 'kit',
  share: 0.25,
  done: false,
  report: null,
  opened: null,
  problem: null,
};

function answering(...states: Partial<JobState>[]) {
  const asked: string[] = [];
  let at = 0;
  vi.stubGlobal('fetch', async (request: Request) => {
    asked.push(`${request.method} ${new URL(request.url, 'http://here').pathname}`);
    if (request.method === 'DELETE') return new Response(null, { status: 204 });
    const state = { ...begun, ...states[Math.min(at++, states.length - 1)] };
    return new Response(JSON.stringify(state), { headers: { 'content-type': 'application/json' } });
  });
  return asked;
}

function Making({ done }: { done: (job: JobState) => void }) {
  const { job, run, cancel } = useJob();
  if (job) return <UnderWay job={job} said="making" onCancel={cancel} />;
  return <button onClick={() => void run(() => Promise.resolve(begun), done)}>make</button>;
}

const settled = () => act(() => new Promise((go) => setTimeout(go, 20)));
const click = (page: HTMLElement, word: string) =>
  act(() => [...page.querySelectorAll('button')].find((one) => one.textContent === word)!.click());

afterEach(() => {
  vi.unstubAllGlobals();
  useWindow.setState({ notices: [] });
});

describe('a job that a window began', () => {
  it('says how far it is, can be cancelled, and hands on what it made', async () => {
    const asked = answering({ share: 1, done: true });
    const made: boolean[] = [];
    const { page, away } = show(<Making done={(job) => made.push(job.done)} />);
    click(page, 'make');
    await settled();
    expect(page.textContent).toContain('making, 25 %');
    click(page, 'cancel');
    await settled();
    expect(asked).toContain('DELETE /api/jobs/j');
    await act(() => vi.waitFor(() => expect(made).toEqual([true])));
    await settled();
    expect(page.textContent).toBe('make');
    away();
  });

  it('says the sentence of the server where it failed, and can be begun anew', async () => {
    answering({ problem: { what: 'Too few strokes.', kept: 'Nothing.', todo: '', state: null } });
    const { page, away } = show(<Making done={() => {}} />);
    click(page, 'make');
    await act(() =>
      vi.waitFor(() => expect(useWindow.getState().notices[0]?.text).toContain('Too few strokes.')),
    );
    await settled();
    expect(page.textContent).toBe('make');
    away();
  });
});
