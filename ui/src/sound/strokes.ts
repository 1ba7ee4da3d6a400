const STEP = 8; // velocities as far apart as are told by ear
const MOST = 160;

/** Single strokes as a session sounds them, kept once heard, so that a key or a drum pad answers at once. */
export class Strokes {
  private context: AudioContext | null = null;
  private kept = new Map<string, Promise<AudioBuffer | null>>();

  /** Play a stroke now. `version` says what its sound depends on. */
  async play(
    of: { sessionId: string; partId: string; version: string; rateHz: number },
    velocity: number,
    note: number | null = null,
  ): Promise<void> {
    const context = (this.context ??= new AudioContext({ latencyHint: 'interactive' }));
    if (context.state !== 'running') await context.resume();
    const buffer = await this.take(of, velocity, note);
    if (!buffer) return;
    const node = context.createBufferSource();
    node.buffer = buffer;
    node.connect(context.destination);
    node.start();
  }

  /** Fetch a stroke before it is wanted. */
  take(
    of: { sessionId: string; partId: string; version: string; rateHz: number },
    velocity: number,
    note: number | null = null,
  ): Promise<AudioBuffer | null> {
    const near = Math.min(Math.ceil(velocity / STEP) * STEP, 127);
    const key = [of.sessionId, of.partId, of.version, near, note].join(' ');
    const known = this.kept.get(key);
    if (known) return known;
    const made = this.fetched(of, near, note).catch(() => {
      this.kept.delete(key);
      return null;
    });
    this.kept.set(key, made);
    if (this.kept.size > MOST) this.kept.delete(this.kept.keys().next().value!);
    return made;
  }

  private async fetched(
    { sessionId, partId, rateHz }: { sessionId: string; partId: string; rateHz: number },
    velocity: number,
    note: number | null,
  ): Promise<AudioBuffer | null> {
    const asked = new URLSearchParams({ velocity: String(velocity) });
    if (note !== null) asked.set('note', String(note));
    const answer = await fetch(`/api/sessions/${sessionId}/parts/${partId}/stroke?${asked.toString()}`);
    if (!answer.ok) throw new Error('no stroke');
    const samples = new Float32Array(await answer.arrayBuffer());
    if (!samples.length) return null;
    const buffer = new AudioBuffer({ numberOfChannels: 2, length: samples.length / 2, sampleRate: rateHz });
    for (const side of [0, 1]) {
      const channel = buffer.getChannelData(side);
      for (let i = 0; i < channel.length; i++) channel[i] = samples[2 * i + side]!;
    }
    return buffer;
  }
}

export const strokes = new Strokes();
