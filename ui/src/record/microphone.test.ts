import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { gathered, Microphone, microphoneProblem, picked, type Lot } from './microphone';

vi.mock('./worklet.js?url&no-inline', () => ({ default: '' }));

describe('small lots made into larger ones', () => {
  it('keeps every sample in its order, and the number of the first', () => {
    const out: Lot[] = [];
    const { take, rest } = gathered(300, (lot) => out.push(lot));
    for (let k = 0; k < 7; k++) take({ first: 50 + 128 * k, samples: new Float32Array(128).fill(k) });
    expect(out.map((lot) => [lot.first, lot.samples.length])).toEqual([
      [50, 384],
      [50 + 384, 384],
    ]);
    expect([...out[1]!.samples.filter((_, k) => k % 128 === 0)]).toEqual([3, 4, 5]);
    rest();
    rest();
    expect(out.map((lot) => lot.samples.length)).toEqual([384, 384, 128]);
    expect([out[2]!.first, out[2]!.samples[0]]).toEqual([50 + 2 * 384, 6]);
  });
});

class Track extends EventTarget {
  kind = 'audio';
  settings = { sampleRate: 48000, channelCount: 2 };
  getSettings = () => this.settings;
  stop = vi.fn();
}

class Context extends EventTarget {
  state = 'running';
  sampleRate = 48000;
  audioWorklet = { addModule: () => Promise.resolve() };
  createMediaStreamSource = () => ({ connect: () => undefined, disconnect: () => undefined });
}

describe('a microphone that stops by itself', () => {
  let track: Track;
  let context: Context;
  const why = vi.fn();
  const opened = () => Microphone.open(null, context as never, 128, why);

  beforeEach(() => {
    vi.useFakeTimers();
    why.mockClear();
    [track, context] = [new Track(), new Context()];
    const stream = { getAudioTracks: () => [track], getTracks: () => [track] };
    vi.stubGlobal('window', globalThis);
    vi.stubGlobal('document', { hidden: true });
    vi.stubGlobal('navigator', { mediaDevices: { getUserMedia: () => Promise.resolve(stream) } });
    vi.stubGlobal(
      'AudioWorkletNode',
      class {
        port = { close: () => undefined };
        disconnect = () => undefined;
      },
    );
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  it('says that it was taken away', async () => {
    expect((await opened()).channels).toBe(2);
    track.dispatchEvent(new Event('ended'));
    expect(why).toHaveBeenCalledExactlyOnceWith('The microphone was taken away.');
  });

  it('says that its rate changed', async () => {
    await opened();
    vi.advanceTimersByTime(2000);
    expect(why).not.toHaveBeenCalled();
    track.settings = { ...track.settings, sampleRate: 44100 };
    vi.advanceTimersByTime(600);
    expect(why).toHaveBeenCalledWith('The microphone went from 48000 to 44100 samples a second.');
  });

  it('says that the browser put the page to sleep in the background', async () => {
    await opened();
    context.state = 'suspended';
    context.dispatchEvent(new Event('statechange'));
    expect(why.mock.calls[0]![0]).toContain('to sleep while its tab was in the background');
  });

  it('says nothing once it was closed by hand', async () => {
    const microphone = await opened();
    microphone.close();
    track.settings = { ...track.settings, sampleRate: 44100 };
    context.state = 'closed';
    track.dispatchEvent(new Event('ended'));
    context.dispatchEvent(new Event('statechange'));
    vi.advanceTimersByTime(2000);
    expect(why).not.toHaveBeenCalled();
    expect(track.stop).toHaveBeenCalled();
  });

  it('says that a browser cannot hear it at this rate', () => {
    expect(microphoneProblem(new DOMException('', 'NotSupportedError'))).toContain(
      'at the rate of the session',
    );
  });
});

describe('the channels of a lot', () => {
  const lot: Lot = { first: 7, samples: Float32Array.from([1, 10, 100, 2, 20, 200]) };
  it('are picked in the order in which they are listened to', () => {
    expect([...picked(lot, 3, [2, 0]).samples]).toEqual([100, 1, 200, 2]);
    expect(picked(lot, 3, [2, 0]).first).toBe(7);
    expect(picked(lot, 3, [0, 1, 2])).toBe(lot);
  });
});
