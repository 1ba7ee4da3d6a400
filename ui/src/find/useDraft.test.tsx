// @vitest-environment jsdom
import { act, useEffect } from 'react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { Part } from '../api/client';
import { show } from '../api/hook.fixture';
import type { Doing } from '../api/session';

vi.stubGlobal('localStorage', { getItem: () => null });
const { useWindow } = await import('../state/window');
const { useDraft } = await import('./useDraft');

const part = { find: { threshold_db: -30, rise_db: null } } as unknown as Part;

/** The hook over a server whose answers the test gives. */
function drafting() {
  const asked: { find: Record<string, unknown>; answer: (hits: number) => Promise<void> }[] = [];
  vi.stubGlobal('fetch', async (request: Request) => {
    const body = (await request.clone().json()) as { find: Record<string, unknown> };
    return new Promise<Response>((done) =>
      asked.push({
        find: body.find,
        answer: (hits) =>
          act(async () => {
            done(new Response(JSON.stringify({ hits }), { headers: { 'content-type': 'application/json' } }));
            await new Promise((later) => setTimeout(later, 5));
          }),
      }),
    );
  });
  const acts: unknown[] = [];
  const doing = { id: 's', act: async (action: unknown) => acts.push(action) > 0 } as unknown as Doing;
  let given: ReturnType<typeof useDraft> | null = null;
  function Drafts() {
    const now = useDraft(doing, 'p', part);
    useEffect(() => {
      given = now;
    });
    return null;
  }
  const { away } = show(<Drafts />);
  const does = (work: (draft: ReturnType<typeof useDraft>) => unknown) =>
    act(async () => {
      await work(given!);
      await new Promise((later) => setTimeout(later, 5));
    });
  return { asked, acts, does, away };
}
const draft = () => useWindow.getState().draft;

afterEach(() => {
  act(() => useWindow.getState().set({ draft: null }));
});

describe('settings on their way', () => {
  it('are shown at once, and what they would decide as soon as the server says', async () => {
    const { asked, acts, does, away } = drafting();
    await does(({ move }) => move({ threshold_db: -24 }));
    expect(draft()).toMatchObject({
      partId: 'p',
      find: { threshold_db: -24, rise_db: null },
      decisions: null,
    });
    await asked[0]!.answer(7);
    expect(draft()!.decisions).toMatchObject({ hits: 7 });
    expect(acts).toEqual([]);
    away();
  });

  it('go on from each other, and only the latest is asked next', async () => {
    const { asked, does, away } = drafting();
    await does(({ move }) => move({ threshold_db: -24 }));
    await does(({ move }) => move({ rise_db: 6 }));
    await does(({ move }) => move({ threshold_db: -20 }));
    expect(asked).toHaveLength(1);
    await asked[0]!.answer(7);
    expect(asked.map(({ find }) => find)).toMatchObject([
      { threshold_db: -24 },
      { threshold_db: -20, rise_db: 6 },
    ]);
    await asked[1]!.answer(5);
    expect(draft()!.decisions).toMatchObject({ hits: 5 });
    away();
  });

  it('become one edit of what was changed when they are let go, and are on their way no more', async () => {
    const { acts, does, away } = drafting();
    await does(({ move }) => move({ threshold_db: -24 }));
    await does(({ done }) => done({ threshold_db: -23 }));
    expect(acts).toEqual([{ kind: 'set_find', part_id: 'p', changes: { threshold_db: -23 } }]);
    expect(draft()).toBeNull();
    away();
  });

  it('are as they were when they are given up, whatever the server still says', async () => {
    const { asked, acts, does, away } = drafting();
    await does(({ move }) => move({ threshold_db: -24 }));
    await does(({ leave }) => leave());
    await asked[0]!.answer(7);
    expect(draft()).toBeNull();
    expect(acts).toEqual([]);
    away();
  });
});
