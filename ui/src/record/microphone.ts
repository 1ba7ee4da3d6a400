import workletUrl from './worklet.js?url&no-inline';

const RATE_ASKED_MS = 500;

export interface Device {
  id: string;
  name: string;
}

/** Some frames of a microphone, channels in turn: the number of the first on the clock of the page's audio. */
export interface Lot {
  first: number;
  samples: Float32Array<ArrayBuffer>;
}

/** Small lots made into larger ones of so many samples; `rest` hands on what is left over at the end. */
export function gathered(size: number, onLot: (lot: Lot) => void) {
  let waiting: Lot[] = [];
  let held = 0;
  const rest = () => {
    if (!held) return;
    const samples = new Float32Array(held);
    let at = 0;
    for (const one of waiting) {
      samples.set(one.samples, at);
      at += one.samples.length;
    }
    onLot({ first: waiting[0]!.first, samples });
    waiting = [];
    held = 0;
  };
  const take = (lot: Lot) => {
    waiting.push(lot);
    held += lot.samples.length;
    if (held >= size) rest();
  };
  return { take, rest };
}

/** Those channels of a lot that are listened to, in this order. */
export function picked(lot: Lot, channels: number, wanted: number[]): Lot {
  if (channels === wanted.length && wanted.every((one, k) => one === k)) return lot;
  const frames = lot.samples.length / channels;
  const samples = new Float32Array(frames * wanted.length);
  for (let k = 0; k < frames; k++)
    wanted.forEach((one, c) => (samples[k * wanted.length + c] = lot.samples[k * channels + one]!));
  return { first: lot.first, samples };
}

/** What a microphone says when it stops by itself; what was kept until then is said by who listens. */
export const TAKEN_AWAY = 'The microphone was taken away.';
export const asleep = (hidden: boolean): string =>
  hidden
    ? 'The browser put the sound of this page to sleep while its tab was in the background.'
    : 'The browser put the sound of this page to sleep.';
export const otherRate = (before: number, now: number): string =>
  `The microphone went from ${before} to ${now} samples a second.`;

/** Why a microphone cannot be heard, in a sentence a person can act on. */
export function microphoneProblem(error: unknown): string {
  if (!navigator.mediaDevices?.getUserMedia)
    return (
      'This page may not use microphones: browsers allow it on this machine’s own address only. ' +
      'The session is unchanged. Open the address that ./nubrak start prints.'
    );
  if (typeof AudioWorkletNode === 'undefined')
    return (
      'This browser cannot hand on sound without loss (it has no audio worklets). The session is unchanged. ' +
      'Use a current browser, or record elsewhere and drop the file in Gather.'
    );
  const name = error instanceof DOMException ? error.name : '';
  if (name === 'NotSupportedError')
    return (
      'This browser cannot hear the microphone at the rate of the session. The session is unchanged. Set the ' +
      'microphone to that rate in the system’s sound settings, or use another browser.'
    );
  if (name === 'NotAllowedError' || name === 'SecurityError')
    return (
      'The browser was not allowed to use the microphone. The session is unchanged. Allow the microphone for ' +
      'this page in the browser’s site settings, then choose it again.'
    );
  if (name === 'NotFoundError' || name === 'OverconstrainedError')
    return (
      'There is no microphone on this machine, or the chosen one is gone. The session is unchanged. ' +
      'Plug one in and choose it.'
    );
  return (
    'The microphone could not be opened. The session is unchanged. Check that no other program holds it, then ' +
    'choose it again.'
  );
}

/** The microphones of this machine. Their names are there once the person has allowed one. */
export async function microphones(): Promise<Device[]> {
  const all = (await navigator.mediaDevices?.enumerateDevices?.()) ?? [];
  return all
    .filter((one) => one.kind === 'audioinput' && one.deviceId !== 'communications')
    .map((one, k) => ({ id: one.deviceId, name: one.label || `Microphone ${k + 1}` }));
}

/** An open microphone: lots of frames without loss, as the device gives them. */
export class Microphone {
  private node: AudioWorkletNode | null = null;
  private source: MediaStreamAudioSourceNode | null = null;
  private onLot: (lot: Lot) => void = () => undefined;
  private timer = 0;
  private readonly ends = new AbortController();
  /** The loudest sample of the last lot. */
  peak = 0;

  private constructor(
    private readonly stream: MediaStream,
    readonly context: AudioContext,
    /** How many channels the device has; more than were asked for are not handed on. */
    readonly channels: number,
  ) {}

  /** Open a device on an audio clock; `onEnded` is told why it stops, where it does by itself. */
  static async open(
    deviceId: string | null,
    context: AudioContext,
    size: number,
    onEnded: (why: string) => void,
    channels = 1,
  ): Promise<Microphone> {
    if (!navigator.mediaDevices?.getUserMedia || typeof AudioWorkletNode === 'undefined')
      throw new Error('unsupported');
    const stream = await navigator.mediaDevices.getUserMedia({
      audio: {
        ...(deviceId ? { deviceId: { exact: deviceId } } : {}),
        // What makes speech clearer takes strokes away.
        echoCancellation: false,
        noiseSuppression: false,
        autoGainControl: false,
        channelCount: { ideal: channels },
      },
    });
    const has = stream.getAudioTracks()[0]?.getSettings().channelCount ?? 1;
    const microphone = new Microphone(stream, context, has);
    await context.audioWorklet.addModule(workletUrl);
    microphone.node = new AudioWorkletNode(context, 'taking', {
      numberOfInputs: 1,
      numberOfOutputs: 0,
      channelCount: channels,
      channelCountMode: 'explicit',
      // One microphone of several channels is mixed to one; several stay what they are.
      channelInterpretation: channels === 1 ? 'speakers' : 'discrete',
      processorOptions: { size, channels },
    });
    microphone.node.port.onmessage = (event: MessageEvent<Lot>) => {
      let peak = 0;
      for (const sample of event.data.samples) peak = Math.max(peak, Math.abs(sample));
      microphone.peak = peak;
      microphone.onLot(event.data);
    };
    microphone.source = context.createMediaStreamSource(stream);
    microphone.source.connect(microphone.node);
    microphone.watch(onEnded);
    return microphone;
  }

  /** Tell once why it stops, where nobody closed it. */
  private watch(onEnded: (why: string) => void): void {
    const { signal } = this.ends;
    const tell = (why: string) => {
      if (signal.aborted) return;
      this.unwatch();
      onEnded(why);
    };
    const rateOf = (track: MediaStreamTrack) => track.getSettings().sampleRate;
    for (const track of this.stream.getAudioTracks()) {
      track.addEventListener('ended', () => tell(TAKEN_AWAY), { signal });
      const before = rateOf(track);
      this.timer = window.setInterval(() => {
        const now = rateOf(track);
        if (before && now && now !== before) tell(otherRate(before, now));
      }, RATE_ASKED_MS);
    }
    this.context.addEventListener(
      'statechange',
      () => this.context.state !== 'running' && tell(asleep(document.hidden)),
      { signal },
    );
  }

  private unwatch(): void {
    this.ends.abort();
    window.clearInterval(this.timer);
  }

  /** Hand on what is heard from now on. */
  hand(onLot: (lot: Lot) => void): void {
    this.onLot = onLot;
  }

  close(): void {
    this.onLot = () => undefined;
    this.unwatch();
    for (const track of this.stream.getTracks()) track.stop();
    this.source?.disconnect();
    this.node?.disconnect();
    this.node?.port.close();
  }
}
