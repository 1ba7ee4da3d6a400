import { reached } from '../api/refusal';
import type { Hearing } from '../state/listening';

export interface Heard {
  sessionId: string;
  rateHz: number;
  lengthS: number;
  partId: string | null;
  /** The part whose hits tick, with settings that are still being moved, if any; null where nothing ticks. */
  trigger?: {
    partId: string;
    find: string | null;
    sound?: { kit: string; instrument: string } | null;
  } | null;
  /** The part whose detector is listened through. */
  detector?: { partId: string; find: string | null } | null;
  /** Whether layers sound as played, before anything was shaped. */
  before?: boolean;
  /** Whether what is only played along to is silent. */
  drumsOnly?: boolean;
  /** Whether the session sounds as it was before the last change. */
  back?: boolean;
  /** Whether every beat clicks. */
  click?: boolean;
  /** Whether what is heard together is more than the sum: then one stream comes of it, as it is printed. */
  mixed?: boolean;
  /** Stages that are not heard, as JSON. */
  without?: string | null;
  /** The bus that is heard by itself. */
  busId?: string | null;
  /** A sound of the library that is tried in place of a layer; nothing is changed by it. */
  tried?: { partId: string; layerId: string | null; kit: string; instrument: string } | null;
}

/** What brings recording, layers and both to one loudness, in dB. */
export type Match = Record<Hearing, number>;

interface Stretch {
  atS: number; // on the context's clock
  fromS: number; // on the session's time line
  lengthS: number;
  nodes: AudioBufferSourceNode[];
}

const FIRST_S = 0.35;
const NEXT_S = 2;
const AHEAD_S = 3;
const LEAD_S = 0.02;
/** How soon a change is heard: as long as a window usually takes to come. */
const SOON_S = 0.15;
export const AT_ONCE_S = 0.06;
const FADE_S = 0.004;

/**
 * Plays recording and layers as two streams of windows from the server that start on the same sample, so that
 * switching between them is a matter of two gains. Only a few seconds are ever held.
 */
export class Player {
  private context: AudioContext | null = null;
  private gains: Record<'recording' | 'layers', GainNode> | null = null;
  private stretches: Stretch[] = [];
  private run = 0;
  private inTime = false;
  private heard: Heard | null = null;
  private hearing: Hearing = 'both';
  private match: Match | null = null;
  private prepared: { of: string; window: Promise<Float32Array[]> } | null = null;
  private loop: { startS: number; endS: number } | null = null;
  playing = false;
  /** Called when playing ends by itself. */
  onEnd: () => void = () => {};
  onProblem: (text: string) => void = () => {};

  /** Where the sound is, in seconds of the session, or null while it stands. */
  positionS(): number | null {
    if (!this.playing || !this.context) return null;
    const now = this.context.currentTime - (this.context.outputLatency || 0);
    const current = this.stretches.findLast((stretch) => stretch.atS <= now) ?? this.stretches[0];
    if (!current) return null;
    return current.fromS + Math.min(Math.max(now - current.atS, 0), current.lengthS);
  }

  /** Where the loop that is being played ends, or null. */
  loopEndS(): number | null {
    return this.loop?.endS ?? null;
  }

  /** The clock that everything of this page sounds on, at a rate. */
  clock(rateHz: number): AudioContext {
    return this.prepare(rateHz);
  }

  /**
   * Play from here once `leadS` have passed on the clock, and say when that is. From then on the time line keeps to
   * the clock: what comes too late is left out, so that whoever plays along stays in time with it.
   */
  async playInTime(heard: Heard, fromS: number, leadS: number): Promise<number | null> {
    this.stop();
    const run = ++this.run;
    this.heard = heard;
    this.playing = true;
    this.inTime = true;
    const context = this.prepare(heard.rateHz);
    try {
      if (context.state !== 'running') await context.resume();
      const first = await this.fetchWindow(fromS, FIRST_S);
      if (run !== this.run) return null;
      const atS = context.currentTime + leadS;
      void this.stream(run, fromS, atS, first).catch(
        (error: unknown) => run === this.run && this.fail(error),
      );
      return atS;
    } catch (error) {
      if (run === this.run) this.fail(error);
      return null;
    }
  }

  async play(heard: Heard, fromS: number): Promise<void> {
    this.stop();
    const run = ++this.run;
    this.heard = heard;
    this.playing = true;
    const context = this.prepare(heard.rateHz);
    const resumed = context.state === 'running' ? Promise.resolve() : context.resume();
    try {
      const prepared =
        this.prepared?.of === JSON.stringify([heard, fromS, this.loop]) ? this.prepared.window : null;
      const [first] = await Promise.all([prepared ?? this.fetchWindow(fromS, FIRST_S), resumed]);
      if (run !== this.run) return;
      await this.stream(run, fromS, context.currentTime + LEAD_S, first);
    } catch (error) {
      if (run === this.run) this.fail(error);
    }
  }

  /** Fetch what would be heard first from here, so that playing starts at once when it is asked for. */
  ready(heard: Heard, fromS: number): void {
    if (this.playing || !heard.lengthS) return;
    this.heard = heard;
    this.prepare(heard.rateHz);
    const window = this.fetchWindow(fromS, FIRST_S);
    window.catch(() => undefined);
    this.prepared = { of: JSON.stringify([heard, fromS, this.loop]), window };
  }

  /** What was fetched ahead is no longer what would be heard. */
  unready(): void {
    this.prepared = null;
  }

  /** Play these samples by themselves, left and right in turn; whatever else plays stops. */
  async once(samples: Float32Array, rateHz: number): Promise<void> {
    this.stop();
    const run = this.run;
    const context = this.prepare(rateHz);
    if (context.state !== 'running') await context.resume();
    if (run !== this.run) return;
    this.put(
      [samples, new Float32Array(samples.length)],
      0,
      context.currentTime + LEAD_S,
      samples.length / 2 / rateHz,
    );
  }

  stop(): void {
    this.run++;
    this.inTime = false;
    this.playing = false;
    for (const stretch of this.stretches) for (const node of stretch.nodes) node.stop();
    this.stretches = [];
  }

  /** Recording, layers or both, at one loudness or as they are: two gains that change on the same sample. */
  hear(hearing: Hearing, match: Match | null = null): void {
    const other = hearing !== this.hearing;
    this.hearing = hearing;
    this.match = match;
    if (other && this.heard?.mixed) {
      this.prepared = null;
      this.refresh(this.heard, AT_ONCE_S);
    }
    if (!this.gains || !this.context) return;
    for (const bus of ['recording', 'layers'] as const)
      this.gains[bus].gain.setTargetAtTime(this.gainOf(bus), this.context.currentTime, FADE_S / 3);
  }

  private gainOf(bus: 'recording' | 'layers'): number {
    const of = this.heard?.mixed && bus === 'recording' ? this.hearing : bus;
    if (this.hearing !== of && this.hearing !== 'both') return 0;
    return 10 ** ((this.match?.[this.hearing] ?? 0) / 20);
  }

  setLoop(loop: { startS: number; endS: number } | null): void {
    const changed = JSON.stringify(loop) !== JSON.stringify(this.loop);
    this.loop = loop;
    if (changed) this.refresh(this.heard);
  }

  /** Something that sounds has changed: go on from here with what it is now. */
  refresh(heard: Heard | null, soonS = SOON_S): void {
    this.heard = heard;
    if (!this.playing || !this.context || !heard) return;
    const at = this.context.currentTime + soonS;
    const current = this.stretches.findLast((stretch) => stretch.atS <= at);
    if (!current) return;
    const fromS = current.fromS + (at - current.atS);
    const run = ++this.run;
    void this.fetchWindow(fromS, FIRST_S)
      .then((first) => {
        if (run !== this.run || !this.context) return;
        // What came too late is left out, so that the time line runs on without a jump.
        const late = Math.max(this.context.currentTime + 0.005 - at, 0);
        const skipped = Math.round(late * heard.rateHz);
        // Made only now, the next one comes sooner; until then what was put on the clock before goes on.
        if (skipped >= first[0]!.length / 2) return this.refresh(heard, Math.min(late + SOON_S, 2));
        const begin = at + skipped / heard.rateHz;
        for (const stretch of this.stretches) for (const node of stretch.nodes) node.stop(begin);
        this.stretches = this.stretches.filter((stretch) => stretch.atS < begin);
        return this.stream(
          run,
          fromS + skipped / heard.rateHz,
          begin,
          first.map((window) => window.subarray(2 * skipped)),
        );
      })
      .catch((error: unknown) => run === this.run && this.fail(error));
  }

  private prepare(rateHz: number): AudioContext {
    if (this.context && this.context.sampleRate !== rateHz) {
      void this.context.close();
      this.context = null;
    }
    if (!this.context) {
      this.context = new AudioContext({ sampleRate: rateHz, latencyHint: 'interactive' });
      const make = () => {
        const gain = this.context!.createGain();
        gain.connect(this.context!.destination);
        return gain;
      };
      this.gains = { recording: make(), layers: make() };
      for (const bus of ['recording', 'layers'] as const) {
        this.gains[bus].gain.value = this.gainOf(bus);
      }
    }
    return this.context;
  }

  /** Put window after window on the clock, staying a few seconds ahead. */
  private async stream(run: number, fromS: number, atS: number, first: Float32Array[]): Promise<void> {
    let windows = first;
    let position = fromS;
    let at = atS;
    while (run === this.run && this.context && this.heard) {
      let lengthS = (windows[0]?.length ?? 0) / 2 / this.heard.rateHz;
      if (this.inTime && lengthS > 0) {
        const lateS = this.context.currentTime + 0.005 - at;
        const skipped = Math.min(Math.max(Math.ceil(lateS * this.heard.rateHz), 0), windows[0]!.length / 2);
        if (skipped) windows = windows.map((window) => window.subarray(2 * skipped));
        at += skipped / this.heard.rateHz;
        position += skipped / this.heard.rateHz;
        lengthS -= skipped / this.heard.rateHz;
        if (lengthS < 1e-6) {
          windows = await this.fetchWindow(position, NEXT_S);
          continue;
        }
      }
      if (lengthS > 0) {
        at = Math.max(at, this.context.currentTime + 0.001);
        this.put(windows, position, at, lengthS);
        at += lengthS;
        position += lengthS;
      }
      if (this.loop && position >= this.loop.endS - 1e-6 && fromS < this.loop.endS)
        position = this.loop.startS;
      else if (position >= this.heard.lengthS - 1e-6 || lengthS === 0) {
        const left = at - this.context.currentTime;
        await new Promise((done) => setTimeout(done, Math.max(left, 0) * 1000));
        if (run === this.run) {
          this.stop();
          this.onEnd();
        }
        return;
      }
      while (run === this.run && this.context && at - this.context.currentTime > AHEAD_S) {
        await new Promise((done) => setTimeout(done, 60));
      }
      if (run !== this.run) return;
      windows = await this.fetchWindow(position, NEXT_S);
    }
  }

  private put(windows: Float32Array[], fromS: number, atS: number, lengthS: number): void {
    const context = this.context!;
    const nodes = (['recording', 'layers'] as const).map((bus, index) => {
      const samples = windows[index]!;
      const buffer = context.createBuffer(2, samples.length / 2, context.sampleRate);
      for (const side of [0, 1]) {
        const channel = buffer.getChannelData(side);
        for (let i = 0; i < channel.length; i++) channel[i] = samples[2 * i + side]!;
      }
      const node = context.createBufferSource();
      node.buffer = buffer;
      node.connect(this.gains![bus]);
      node.start(atS);
      return node;
    });
    const before = context.currentTime - 1;
    this.stretches = this.stretches.filter((stretch) => stretch.atS + stretch.lengthS > before);
    this.stretches.push({ atS, fromS, lengthS, nodes });
  }

  private async fetchWindow(fromS: number, lengthS: number): Promise<Float32Array[]> {
    const { sessionId, rateHz, partId, lengthS: wholeS } = this.heard!;
    const endS = this.loop && fromS < this.loop.endS ? Math.min(wholeS, this.loop.endS) : wholeS;
    const start = Math.max(Math.round(fromS * rateHz), 0);
    const frames = Math.min(Math.round(lengthS * rateHz), Math.round(endS * rateHz) - start);
    if (frames <= 0) return [new Float32Array(0), new Float32Array(0)];
    const plain = { partId, find: null };
    const { tried, mixed, trigger, detector } = this.heard!;
    const buses: [string, { partId: string | null; find: string | null }][] = [
      detector ? ['detector', detector] : [mixed ? this.hearing : 'recording', plain],
    ];
    if (trigger) buses.push(['trigger', trigger]);
    else if (!mixed) buses.push(['layers', plain]);
    const windows = await Promise.all(
      buses.map(async ([bus, of]) => {
        const asked = new URLSearchParams({ start: String(start), frames: String(frames) });
        if (of.partId) asked.set('part', of.partId);
        if (of.find) asked.set('find', of.find);
        if (this.heard!.before) asked.set('before', 'true');
        if (this.heard!.drumsOnly) asked.set('backing', 'false');
        if (this.heard!.back) asked.set('back', 'true');
        // In whichever of the two is heard, and in one only.
        if (
          this.heard!.click &&
          (mixed ? bus !== 'trigger' : (bus === 'recording') === (this.hearing === 'recording'))
        )
          asked.set('click', 'true');
        if (this.heard!.without) asked.set('without', this.heard!.without);
        if (this.heard!.busId) asked.set('bus_id', this.heard!.busId);
        const sound = bus === 'trigger' && trigger?.sound;
        if (sound) {
          asked.set('kit', sound.kit);
          asked.set('instrument', sound.instrument);
        }
        if (tried && (bus === 'layers' || bus === 'both')) {
          asked.set('trying', tried.partId);
          asked.set('kit', tried.kit);
          asked.set('instrument', tried.instrument);
          if (tried.layerId) asked.set('layer', tried.layerId);
        }
        const answer = await reached(fetch(`/api/sessions/${sessionId}/sound/${bus}?${asked.toString()}`));
        if (!answer.ok)
          throw new Error('This stretch could not be played. Nothing was changed. Press Space to try again.');
        return new Float32Array(await answer.arrayBuffer());
      }),
    );
    return windows.length > 1 ? windows : [windows[0]!, new Float32Array(windows[0]!.length)];
  }

  private fail(error: unknown): void {
    this.stop();
    this.onEnd();
    this.onProblem(error instanceof Error ? error.message : String(error));
  }
}

export const player = new Player();
