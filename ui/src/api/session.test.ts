import { QueryClient } from '@tanstack/react-query';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { SessionState } from './client';
import { Doing } from './session';

afterEach(() => vi.unstubAllGlobals());

const state = (revision: number): SessionState =>
  ({ id: 's', revision, document: { name: `at ${revision}` }, undo: 'x', redo: null }) as unknown as SessionState;

/** A server that counts revisions and refuses stale ones, as the real one does. */
function server(start: number) {
  let revision = start;
  const seen: number[] = [];
  const answer = vi.fn(async (request: Request) => {
    const body = (await request.json()) as { revision: number };
    seen.push(body.revision);
    await new Promise((done) => setTimeout(done, 5));
    const stale = body.revision !== revision;
    if (!stale) revision++;
    const content = stale ? { what: 'Stale.', kept: '', todo: '', state: state(revision) } : state(revision);
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
});
