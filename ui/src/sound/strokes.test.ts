import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Strokes } from './strokes';

const of = { sessionId: 's', partId: 'p', version: 'v1', rateHz: 1000 };

class Source {
  static all: Source[] = [];
  buffer: { sides: Float32Array[] } | null = null;
  started = false;
  stopped = false;
  constructor() {
    Source.all.push(this);
  }
  connect() {}
  start() {
    this.started = true;
  }
  stop() {
    this.stopped = true;
  }
}

let asked: string[] = [];
let answer: () => Response = () => new Response();

beforeEach(() => {
  asked = [];
  Source.all = [];
  const samples = new Float32Array([0.5, -0.5, 0.25, -0.25]);
  answer = () => new Response(samples.buffer.slice(0));
  vi.stubGlobal('fetch', async (address: string) => {
    asked.push(address);
    return answer();
  });
  vi.stubGlobal(
    'AudioContext',
    class {
      state = 'suspended';
      destination = {};
      resume() {
        this.state = 'running';
        return Promise.resolve();
      }
      createBufferSource = () => new Source();
    },
  );
  vi.stubGlobal(
    'AudioBuffer',
    class {
      sides: Float32Array[];
      constructor({ length }: { length: number }) {
        this.sides = [new Float32Array(length), new Float32Array(length)];
      }
      getChannelData = (side: number) => this.sides[side]!;
    },
  );
});
afterEach(() => vi.unstubAllGlobals());

describe('single strokes', () => {
  it('are fetched once for strengths that sound alike, left and right told apart', async () => {
    const strokes = new Strokes();
    await strokes.play(of, 97);
    await strokes.play(of, 103);
    expect(asked).toEqual(['/api/sessions/s/parts/p/stroke?velocity=104']);
    await strokes.play(of, 127, 46);
    expect(asked[1]).toBe('/api/sessions/s/parts/p/stroke?velocity=127&note=46');
    expect(Source.all.every((one) => one.started)).toBe(true);
    expect([...Source.all[0]!.buffer!.sides[0]!]).toEqual([0.5, 0.25]);
    expect([...Source.all[0]!.buffer!.sides[1]!]).toEqual([-0.5, -0.25]);
  });

  it('are fetched anew where what they sound with has changed', async () => {
    const strokes = new Strokes();
    await strokes.play(of, 100);
    await strokes.play({ ...of, version: 'v2' }, 100);
    expect(asked).toHaveLength(2);
  });

  it('are silent where there is no sound, and asked for again where it could not be had', async () => {
    const strokes = new Strokes();
    answer = () => new Response(new ArrayBuffer(0));
    await strokes.play(of, 100);
    expect(Source.all).toHaveLength(0);
    answer = () => new Response(null, { status: 500 });
    await strokes.play({ ...of, partId: 'other' }, 100);
    answer = () => new Response(new Float32Array([0.1, 0.1]).buffer);
    await strokes.play({ ...of, partId: 'other' }, 100);
    expect(asked).toHaveLength(3);
    expect(Source.all).toHaveLength(1);
  });

  it('slices stop each other, strokes ring on', async () => {
    const strokes = new Strokes();
    await strokes.play(of, 100);
    await strokes.url('/slice/1', 'r1', 1000);
    await strokes.url('/slice/2', 'r1', 1000);
    expect(Source.all.map((one) => one.stopped)).toEqual([false, true, false]);
    await strokes.url('/slice/1', 'r1', 1000);
    expect(asked.filter((one) => one === '/slice/1')).toHaveLength(1);
  });
});
