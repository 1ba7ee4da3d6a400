import type { Schema } from '../api/client';
import type { Lot } from './microphone';

export type Asked = Schema['PassAsked'];
type Said =
  | { stream_id: string; kept: number }
  | { kept: number }
  | { finished: true; revision: number }
  | { problem: string; kept_so: string; todo: string };

const AGAIN_MS = 1000;

/** Where messages to the server go: a web socket of this page's own server. */
export const socketAt = (path: string): WebSocket =>
  new WebSocket(`${window.location.origin.replace(/^http/, 'ws')}${path}`);

/** What a lot of frames looks like on the way: the number of its first frame, then its samples. */
export function packed(first: number, samples: Float32Array): ArrayBuffer {
  const out = new ArrayBuffer(8 + samples.byteLength);
  new DataView(out).setBigUint64(0, BigInt(first), true);
  new Float32Array(out, 8).set(samples);
  return out;
}

/**
 * Sends a pass while it is played. What the server has not said to be kept is held here, so that a connection that is
 * lost loses nothing: it is taken up again where it was.
 */
export class PassSender {
  private socket: WebSocket | null = null;
  private waiting: { first: number; frames: number; samples: Float32Array }[] = [];
  private frames = 0;
  private kept = 0;
  private streamId: string | null = null;
  private ending = false;
  private over = false;
  private takenUp = false; // the server said what it has: what it has not is sent from there on
  private timer = 0;
  onLost: (text: string) => void = () => undefined;
  onFinished: () => void = () => undefined;
  onKept: (seconds: number) => void = () => undefined;
  onProblem: (text: string) => void = () => undefined;

  constructor(
    private readonly sessionId: string,
    private readonly asked: Asked,
    private readonly open: (path: string) => WebSocket = socketAt,
  ) {
    this.connect();
  }

  private get channels(): number {
    return this.asked.channels ?? 1;
  }

  /** What the server calls it, once it does. */
  get id(): string | null {
    return this.streamId;
  }

  /** How many seconds were played, and how many of them are not kept yet. */
  get secondsS(): { played: number; waiting: number } {
    const rate = this.asked.rate_hz;
    return { played: this.frames / rate, waiting: (this.frames - this.kept) / rate };
  }

  take(lot: Lot): void {
    if (this.ending || this.over) return;
    const one = { first: this.frames, frames: lot.samples.length / this.channels, samples: lot.samples };
    this.frames += one.frames;
    this.waiting.push(one);
    if (this.takenUp && this.socket?.readyState === WebSocket.OPEN)
      this.socket.send(packed(one.first, one.samples));
  }

  /** The pass is over: once all of it is kept, it becomes a take. */
  finish(): void {
    this.ending = true;
    this.finishWhenKept();
  }

  private connect(): void {
    const socket = this.open(`/api/sessions/${this.sessionId}/record`);
    this.socket = socket;
    this.takenUp = false;
    socket.onopen = () =>
      socket.send(JSON.stringify(this.streamId ? { stream_id: this.streamId } : { asked: this.asked }));
    socket.onmessage = (event: MessageEvent<string>) => this.told(JSON.parse(event.data) as Said);
    socket.onclose = () => {
      if (this.over || socket !== this.socket) return;
      this.onLost(
        'The connection to Nubrak was lost. What is played goes on being held here and is sent as soon as it ' +
          'answers again.',
      );
      this.timer = window.setTimeout(() => this.connect(), AGAIN_MS);
    };
  }

  private told(said: Said): void {
    if ('problem' in said) {
      this.over = true;
      this.onProblem([said.problem, said.kept_so, said.todo].filter(Boolean).join(' '));
      return;
    }
    if ('finished' in said) {
      this.over = true;
      this.onFinished();
      return;
    }
    if ('stream_id' in said) {
      this.streamId = said.stream_id;
      this.takenUp = true;
      this.keptAre(said.kept);
      for (const one of this.waiting) this.socket!.send(packed(one.first, one.samples));
    } else this.keptAre(said.kept);
    this.finishWhenKept();
  }

  private keptAre(kept: number): void {
    this.kept = kept;
    this.waiting = this.waiting.filter((one) => one.first + one.frames > kept);
    this.onKept(kept / this.asked.rate_hz);
  }

  private finishWhenKept(): void {
    if (!this.ending || this.waiting.length || !this.streamId) return;
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify({ finish: true }));
  }

  /** Give up what was begun; the server makes a take of what it has. */
  abandon(): void {
    this.over = true;
    window.clearTimeout(this.timer);
    this.socket?.close();
  }
}
