import { reached } from '../api/refusal';

const STEP = 8; // velocities as far apart as are told by ear
const MOST = 160;

/** Single strokes as a session sounds them, kept once heard, so that a key or a drum pad answers at once. */
export class Strokes {
  private context: AudioContext | null = null;
  private alone: AudioBufferSourceNode | null = null;
  private kept = new Map<string, Promise<AudioBuffer | null>>();

  /** Play a stroke now. `version` says what its sound depends on. */
  async play(
    of: { sessionId: string; partId: string; version: string; rateHz: number },
    velocity: number,
    note: number | null = null,
  ): Promise<void> {
    await this.sound(this.take(of, velocity, note));
  }

  /** Play what an address gives, such as a slice; what played by itself before stops. */
  async url(address: string, version: string, rateHz: number): Promise<void> {
    this.alone?.stop();
    this.alone = await this.sound(this.keep(`${address} ${version}`, () => loaded(address, rateHz)));
  }

  private async sound(asked: Promise<AudioBuffer | null>): Promise<AudioBufferSourceNode | null> {
    const context = (this.context ??= new AudioContext({ latencyHint: 'interactive' }));
    if (context.state !== 'running') await context.resume();
    const buffer = await asked;
    if (!buffer) return null;
    const node = context.createBufferSource();
    node.buffer = buffer;
    node.connect(context.destination);
    node.start();
    return node;
  }

  /** Fetch a stroke before it is wanted. */
  take(
    of: { sessionId: string; partId: string; version: string; rateHz: number },
    velocity: number,
    note: number | null = null,
  ): Promise<AudioBuffer | null> {
    const near = Math.min(Math.ceil(velocity / STEP) * STEP, 127);
    const asked = new URLSearchParams({ velocity: String(near) });
    if (note !== null) asked.set('note', String(note));
    const address = `/api/sessions/${of.sessionId}/parts/${of.partId}/stroke?${asked.toString()}`;
    return this.keep(`${address} ${of.version}`, () => loaded(address, of.rateHz));
  }

  private keep(key: string, make: () => Promise<AudioBuffer | null>): Promise<AudioBuffer | null> {
    const known = this.kept.get(key);
    if (known) return known;
    const made = make().catch(() => {
      this.kept.delete(key);
      return null;
    });
    this.kept.set(key, made);
    if (this.kept.size > MOST) this.kept.delete(this.kept.keys().next().value!);
    return made;
  }
}

/** Sound from the server: left and right in turn. */
async function loaded(address: string, rateHz: number): Promise<AudioBuffer | null> {
  const answer = await reached(fetch(address));
  if (!answer.ok) throw new Error('no sound');
  const samples = new Float32Array(await answer.arrayBuffer());
  if (!samples.length) return null;
  const buffer = new AudioBuffer({ numberOfChannels: 2, length: samples.length / 2, sampleRate: rateHz });
  for (const side of [0, 1]) {
    const channel = buffer.getChannelData(side);
    for (let i = 0; i < channel.length; i++) channel[i] = samples[2 * i + side]!;
  }
  return buffer;
}

export const strokes = new Strokes();
