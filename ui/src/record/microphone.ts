import workletUrl from './worklet.js?url&no-inline';

export interface Device {
  id: string;
  name: string;
}

/** Some frames of a microphone: the number of the first on the clock of the page's audio. */
export interface Lot {
  first: number;
  samples: Float32Array<ArrayBuffer>;
}

/** Small lots made into larger ones of so many frames; what is left over at the end stays behind. */
export function gathered(size: number, onLot: (lot: Lot) => void): (lot: Lot) => void {
  let waiting: Lot[] = [];
  let frames = 0;
  return (lot) => {
    waiting.push(lot);
    frames += lot.samples.length;
    if (frames < size) return;
    const samples = new Float32Array(frames);
    let at = 0;
    for (const one of waiting) {
      samples.set(one.samples, at);
      at += one.samples.length;
    }
    onLot({ first: waiting[0]!.first, samples });
    waiting = [];
    frames = 0;
  };
}

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
  /** The loudest sample of the last lot. */
  peak = 0;

  private constructor(
    private readonly stream: MediaStream,
    readonly context: AudioContext,
  ) {}

  /** Open a device on an audio clock; `onEnded` is told when it is taken away. */
  static async open(
    deviceId: string | null,
    context: AudioContext,
    size: number,
    onEnded: () => void,
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
        channelCount: 1,
      },
    });
    const microphone = new Microphone(stream, context);
    await context.audioWorklet.addModule(workletUrl);
    microphone.node = new AudioWorkletNode(context, 'taking', {
      numberOfInputs: 1,
      numberOfOutputs: 0,
      processorOptions: { size },
    });
    microphone.node.port.onmessage = (event: MessageEvent<Lot>) => {
      let peak = 0;
      for (const sample of event.data.samples) peak = Math.max(peak, Math.abs(sample));
      microphone.peak = peak;
      microphone.onLot(event.data);
    };
    microphone.source = context.createMediaStreamSource(stream);
    microphone.source.connect(microphone.node);
    for (const track of stream.getAudioTracks()) track.addEventListener('ended', onEnded);
    return microphone;
  }

  /** Hand on what is heard from now on. */
  hand(onLot: (lot: Lot) => void): void {
    this.onLot = onLot;
  }

  close(): void {
    this.onLot = () => undefined;
    for (const track of this.stream.getTracks()) track.stop();
    this.source?.disconnect();
    this.node?.disconnect();
    this.node?.port.close();
  }
}
