// @vitest-environment jsdom
import { QueryClient, QueryObserver } from '@tanstack/react-query';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { SessionState } from './client';
import { Doing, sessionQuery } from './session';

afterEach(() => vi.unstubAllGlobals());

const state = (revision: number, edit = 1): SessionState =>
  ({
    undo_number: edit,
    id: 's',
    revision,
    document: { name: `at ${revision}` },
    undo: 'x',
    redo: null,
  }) as unknown as SessionState;

/** A server that counts revisions and refuses stale ones, as the real one does. */
function server(start: number, edit = 1) {
  let revision = start;
  const seen: number[] = [];
  const answer = vi.fn(async (request: Request) => {
    const body = (await request.json()) as { revision: number };
    seen.push(body.revision);
    await new Promise((done) => setTimeout(done, 5));
    const stale = body.revision !== revision;
    if (!stale) revision++;
    const content = stale
      ? { what: 'Stale.', kept: '', todo: '', state: state(revision, edit) }
      : state(revision, edit);
    return new Response(JSON.stringify(content), {
      status: stale ? 409 : 200,
      headers: { 'content-type': 'application/json' },
    });
  });
  vi.stubGlobal('fetch', answer);
  return { seen, revision: () => revision };
}

describe('doing', () => {
  it('makes a fast second step on the revision the first one gave', async () => {
    const { seen, revision } = server(7);
    const queries = new QueryClient();
    queries.setQueryData(['session', 's'], state(7));
    const doing = new Doing(queries, 's');
    await Promise.all([doing.walk('undo'), doing.walk('undo'), doing.act({ kind: 'rename', name: 'n' })]);
    expect(seen).toEqual([7, 8, 9]);
    expect(revision()).toBe(10);
    expect(doing.state()?.revision).toBe(10);
  });
  it('makes an action again on top of what another window did', async () => {
    const { seen } = server(9);
    const queries = new QueryClient();
    queries.setQueryData(['session', 's'], state(7));
    const doing = new Doing(queries, 's');
    expect(await doing.act({ kind: 'rename', name: 'n' })).toBe(true);
    expect(seen).toEqual([7, 9]);
  });
  it('undoes on top of what was listened to meanwhile', async () => {
    const { seen, revision } = server(9);
    const queries = new QueryClient();
    queries.setQueryData(['session', 's'], state(7));
    await new Doing(queries, 's').walk('undo');
    expect(seen).toEqual([7, 9]);
    expect(revision()).toBe(10);
  });
  it('does not undo what another window did', async () => {
    const { seen, revision } = server(9, 2);
    const queries = new QueryClient();
    queries.setQueryData(['session', 's'], state(7));
    const doing = new Doing(queries, 's');
    await doing.walk('undo');
    expect(seen).toEqual([7]);
    expect(revision()).toBe(9);
    expect(doing.state()?.revision).toBe(9);
  });
  it('is not taken back by an answer that was asked for before it and comes after it', async () => {
    let answer: (response: Response) => void = () => undefined;
    vi.stubGlobal('fetch', () => new Promise<Response>((done) => (answer = done)));
    const json = (revision: number) =>
      new Response(JSON.stringify(state(revision)), { headers: { 'content-type': 'application/json' } });
    const queries = new QueryClient();
    const shown: number[] = [];
    const watch = new QueryObserver(queries, sessionQuery('s'));
    const stop = watch.subscribe((result) => void (result.data && shown.push(result.data.revision)));
    await vi.waitFor(() => expect(watch.getCurrentResult().fetchStatus).toBe('fetching'));
    new Doing(queries, 's').take(state(1));
    answer(json(0));
    await vi.waitFor(() => expect(watch.getCurrentResult().fetchStatus).toBe('idle'));
    expect(queries.getQueryData<SessionState>(['session', 's'])?.revision).toBe(1);
    // what is newer is taken in
    void queries.invalidateQueries({ queryKey: ['session', 's'] });
    await vi.waitFor(() => expect(watch.getCurrentResult().fetchStatus).toBe('fetching'));
    answer(json(2));
    await vi.waitFor(() => expect(queries.getQueryData<SessionState>(['session', 's'])?.revision).toBe(2));
    expect(shown.at(-1)).toBe(2);
    expect(shown).not.toContain(0);
    stop();
  });
});
