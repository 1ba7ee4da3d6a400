// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import { Refusal, take } from './client';

const answer = (status: number, error?: unknown, data?: unknown) =>
  Promise.resolve({ data, error, response: new Response(null, { status }) });

describe('an answer', () => {
  it('gives its data', async () => {
    expect(await take(answer(200, undefined, { hits: 3 }))).toEqual({ hits: 3 });
  });

  it('that refuses says so in the sentences of the server, and brings the session as it stands', async () => {
    const state = { revision: 4 };
    const problem = {
      what: 'This was changed meanwhile.',
      kept: 'Nothing is lost.',
      todo: 'Look again.',
      state,
    };
    const refused = await take(answer(409, problem)).catch((error: unknown) => error as Refusal);
    expect(refused).toBeInstanceOf(Refusal);
    expect(refused).toMatchObject({
      message: 'This was changed meanwhile. Nothing is lost. Look again.',
      status: 409,
      problem: { state },
    });
  });

  it('without words, from something between, still says what is kept and what to do', async () => {
    const refused = await take(answer(502)).catch((error: unknown) => error as Refusal);
    expect((refused as Refusal).message).toBe(
      'The server answered 502. What was acknowledged is kept. Try once more.',
    );
  });

  it('that never comes says how to start again', async () => {
    const refused = await take(Promise.reject(new TypeError('Failed to fetch'))).catch(
      (error: unknown) => error as Refusal,
    );
    expect((refused as Refusal).message).toMatch(/does not answer.*kept.*\.\/nubrak start/);
  });
});
