import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Player, type Heard } from './player';

const RATE = 1000;
const heard: Heard = { sessionId: 's', rateHz: RATE, lengthS: 6, partId: null };

class Node {
  gain = { value: 1, setTargetAtTime: vi.fn() };
  buffer: { data: Float32Array[] } | null = null;
  started = -1;
  stopped: number | undefined | null = null;
  to: Node | null = null;
  connect(to: Node) {
    this.to = to;
  }
  start(at: number) {
    this.started = at;
  }
  stop(at?: number) {
    this.stopped = at;
  }
}

/** An audio context whose clock the test moves. */
class Context {
  static last: Context;
  currentTime = 0;
  state = 'suspended';
  outputLatency = 0;
  destination = new Node();
  sources: Node[] = [];
  gains: Node[] = [];
  constructor(readonly options: { sampleRate: number }) {
    Context.last = this;
  }
  get sampleRate() {
    return this.options.sampleRate;
  }
  async resume() {
    this.state = 'running';
  }
  async close() {}
  createGain() {
    const node = new Node();
    this.gains.push(node);
    return node;
  }
  createBuffer(_: number, frames: number) {
    const data = [new Float32Array(frames), new Float32Array(frames)];
    return { data, getChannelData: (side: number) => data[side]! };
  }
  createBufferSource() {
    const node = new Node();
    this.sources.push(node);
    return node;
  }
}

/** Sound whose left channel is the number of its own sample, so that joins can be checked. */
const asked: string[] = [];
const serve = vi.fn(async (address: string) => {
  asked.push(address);
  const query = new URLSearchParams(address.split('?')[1]);
  const [start, frames] = [Number(query.get('start')), Number(query.get('frames'))];
  const samples = new Float32Array(2 * frames);
  for (let i = 0; i < frames; i++) samples[2 * i] = start + i;
  return { ok: true, arrayBuffer: async () => samples.buffer };
});

const recording = () => Context.last.sources.filter((node) => node.to === Context.last.gains[0]);
const settle = async (steps = 40) => {
  for (let i = 0; i < steps; i++) await vi.advanceTimersByTimeAsync(20);
};
/** Let time pass on the clock and on the page alike. */
const pass = async (seconds: number) => {
  for (let i = 0; i < seconds * 20; i++) {
    Context.last.currentTime += 0.05;
    await vi.advanceTimersByTimeAsync(50);
  }
};

beforeEach(() => {
  vi.useFakeTimers();
  asked.length = 0;
  vi.stubGlobal('AudioContext', Context);
  vi.stubGlobal('fetch', serve);
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe('the player', () => {
  it('joins windows without a gap or a sample twice, both buses on the same instant', async () => {
    const player = new Player();
    await Promise.race([player.play(heard, 1), settle()]);
    await pass(2);
    const nodes = recording();
    expect(nodes.length).toBeGreaterThan(1);
    for (let i = 1; i < nodes.length; i++) {
      const before = nodes[i - 1]!.buffer!.data[0]!;
      expect(nodes[i]!.buffer!.data[0]![0]).toBe(before[before.length - 1]! + 1);
      expect(nodes[i]!.started).toBeCloseTo(nodes[i - 1]!.started + before.length / RATE, 9);
    }
    const layers = Context.last.sources.filter((node) => node.to === Context.last.gains[1]);
    expect(layers.map((node) => node.started)).toEqual(nodes.map((node) => node.started));
    expect(nodes[0]!.buffer!.data[0]![0]).toBe(1000);
    player.stop();
  });

  it('knows where the sound is and ends by itself at the end', async () => {
    const player = new Player();
    let ended = 0;
    player.onEnd = () => ended++;
    void player.play(heard, 5);
    await settle(3);
    Context.last.currentTime = recording()[0]!.started + 0.25;
    expect(player.positionS()).toBeCloseTo(5.25, 6);
    await pass(3);
    expect(ended).toBe(1);
    expect(player.positionS()).toBeNull();
  });

  it('goes round a loop on the sample', async () => {
    const player = new Player();
    player.setLoop({ startS: 2, endS: 2.5 });
    void player.play(heard, 2);
    await settle(3);
    await pass(2);
    const firsts = recording().map((node) => node.buffer!.data[0]![0]);
    const lasts = recording().map((node) => node.buffer!.data[0]!.at(-1));
    expect(new Set(firsts)).toEqual(new Set([2000, 2350]));
    expect(Math.max(...(lasts as number[]))).toBe(2499);
    player.stop();
  });

  it('switches what is heard by gains alone', async () => {
    const player = new Player();
    player.hear('recording');
    void player.play(heard, 0);
    await settle(3);
    const [recordings, layers] = Context.last.gains;
    expect([recordings!.gain.value, layers!.gain.value]).toEqual([1, 0]);
    const count = asked.length;
    player.hear('layers');
    expect(recordings!.gain.setTargetAtTime.mock.lastCall![0]).toBe(0);
    expect(layers!.gain.setTargetAtTime.mock.lastCall![0]).toBe(1);
    expect(asked.length).toBe(count);
    player.stop();
  });

  it('uses what was fetched ahead, and only if it is still what would be heard', async () => {
    const player = new Player();
    player.ready(heard, 3);
    await settle(2);
    const ahead = asked.length;
    expect(ahead).toBe(2);
    void player.play(heard, 3);
    await settle(2);
    expect(asked.filter((address) => address.includes('start=3000&')).length).toBe(2);
    player.stop();
    player.ready(heard, 1);
    player.unready();
    void player.play(heard, 1);
    await settle(2);
    expect(asked.filter((address) => address.includes('start=1000&')).length).toBe(4);
    player.stop();
  });

  it('runs on without a jump when a change comes late, and takes no late one for the end', async () => {
    for (const lateS of [0.25, 0.8]) {
      const player = new Player();
      let ended = 0;
      player.onEnd = () => ended++;
      void player.play(heard, 0);
      await settle(3);
      await pass(0.5);
      const plain = serve.getMockImplementation()!;
      const slowly = async (address: string) => {
        await new Promise((done) => setTimeout(done, lateS * 1000));
        return plain(address);
      };
      serve.mockImplementationOnce(slowly).mockImplementationOnce(slowly);
      const before = recording().length;
      const [first] = recording();
      player.refresh({ ...heard, drumsOnly: true }, 0.06);
      await pass(2);
      expect(ended).toBe(0);
      const [next] = recording().slice(before);
      const place = (node: Node) => node.buffer!.data[0]![0]! / RATE;
      expect(place(next!) - place(first!)).toBeCloseTo(next!.started - first!.started, 2);
      expect(first!.stopped).toBeCloseTo(next!.started, 2);
      player.stop();
    }
  });

  it('brings what is heard to one loudness by the same gains', async () => {
    const player = new Player();
    player.hear('layers', { recording: -12, layers: -6, both: 0 });
    void player.play(heard, 0);
    await settle(3);
    const [recordings, layers] = Context.last.gains;
    expect(recordings!.gain.value).toBe(0);
    expect(layers!.gain.value).toBeCloseTo(10 ** (-6 / 20), 9);
    player.hear('recording', { recording: -12, layers: -6, both: 0 });
    expect(recordings!.gain.setTargetAtTime.mock.lastCall![0]).toBeCloseTo(10 ** (-12 / 20), 9);
    player.stop();
  });

  it('says what happened when a window cannot be had', async () => {
    const player = new Player();
    const said: string[] = [];
    player.onProblem = (text) => said.push(text);
    serve.mockImplementationOnce(async () => ({ ok: false, arrayBuffer: async () => new ArrayBuffer(0) }));
    void player.play(heard, 0);
    await settle(3);
    expect(said[0]).toContain('could not be played');
    expect(player.playing).toBe(false);
  });

  it('plays one stream where stages and buses make more than the sum, and another when another is chosen', async () => {
    const player = new Player();
    asked.length = 0;
    const without = JSON.stringify({ part_id: 'p', stage: 1, trim_db: -2 });
    void player.play({ ...heard, mixed: true, without, busId: 'room' }, 1);
    await settle();
    const buses = () => [...new Set(asked.map((one) => one.split('?')[0]!.split('/').pop()))];
    expect(buses()).toEqual(['both']);
    expect(new URLSearchParams(asked[0]!.split('?')[1]).get('without')).toBe(without);
    expect(new URLSearchParams(asked[0]!.split('?')[1]).get('bus_id')).toBe('room');
    expect(Context.last.gains[0]!.gain.value).toBe(1);
    asked.length = 0;
    player.hear('layers');
    await settle();
    expect(buses()).toEqual(['layers']);
    player.stop();
  });
});
