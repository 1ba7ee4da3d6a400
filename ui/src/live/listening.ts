import type { Schema } from '../api/client';
import type { Lot } from '../record/microphone';
import { socketAt } from '../record/sender';

export type Said = Partial<Schema['LiveSaid']>;
export type Asked = Schema['LiveAsked'];
export type Stroke = Schema['StrokeSaid'];

const MOST_WAITING_BYTES = 1 << 20; // on the way to the server: several seconds of one microphone
const AGAIN_MS = 800;

/**
 * Live playing as the page sees it: what is sent, and what comes back. Where the server cannot keep up, what it would
 * hear too late is left out, and said so: a note seconds late helps nobody.
 */
export class Listening {
  private socket: WebSocket;
  private over = false;
  private timer = 0;
  private played = 0; // frames since the first was handed over
  /** Lots that were left out because the server could not keep up. */
  leftOut = 0;
  networkMs = 0;
  onSaid: (said: Said) => void = () => undefined;
  onLost: (text: string) => void = () => undefined;
  onAgain: () => void = () => undefined;

  constructor(
    private readonly sessionId: string,
    private readonly asked: Asked,
    private readonly open: (path: string) => WebSocket = socketAt,
  ) {
    this.socket = this.connect();
  }

  /** Send what the microphone heard; the server is told which frames these are, whatever was left out before. */
  take(lot: Lot): void {
    const first = this.played;
    this.played += lot.samples.length / this.asked.part_ids.length;
    if (this.socket.readyState !== WebSocket.OPEN) return;
    if (this.socket.bufferedAmount > MOST_WAITING_BYTES) {
      this.leftOut += 1;
      return;
    }
    const out = new ArrayBuffer(16 + lot.samples.byteLength);
    new DataView(out).setFloat64(0, performance.now(), true);
    new DataView(out).setBigUint64(8, BigInt(first), true);
    new Float32Array(out, 16).set(lot.samples);
    this.socket.send(out);
  }

  /** Say other settings while it plays; whether there was somebody to say it to. */
  say(word: Partial<Schema['LiveWord']>): boolean {
    if (this.socket.readyState !== WebSocket.OPEN) return false;
    this.socket.send(JSON.stringify(word));
    return true;
  }

  /** Stop, and say which recording what was heard becomes. */
  stop(passId: string | null = null): void {
    this.over = true;
    window.clearTimeout(this.timer);
    if (this.socket.readyState === WebSocket.OPEN)
      this.socket.send(JSON.stringify({ stop: true, ...(passId ? { pass_id: passId } : {}) }));
    else this.socket.close();
  }

  private connect(): WebSocket {
    const socket = this.open(`/api/sessions/${this.sessionId}/live`);
    socket.onopen = () => socket.send(JSON.stringify(this.asked));
    socket.onmessage = (event: MessageEvent<string>) => {
      const said = JSON.parse(event.data) as Said;
      if (said.ended || said.problem) this.over = true;
      if (said.echo_ms) {
        this.networkMs = (performance.now() - said.echo_ms) / 2;
        if (said.latency) this.say({ network_ms: this.networkMs });
      }
      this.onSaid(said);
    };
    socket.onclose = () => {
      if (this.over) return;
      this.onLost(
        'The connection to Nubrak was lost. What was played until then is kept as a take. Listening goes on as ' +
          'soon as it answers again.',
      );
      this.timer = window.setTimeout(() => {
        this.socket = this.connect();
        this.onAgain();
      }, AGAIN_MS);
    };
    return socket;
  }
}
