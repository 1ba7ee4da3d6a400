import { player } from './player';

/** Somewhere MIDI can go: bytes, and when they are due on the page's clock (`performance.now`). */
export interface Output {
  id: string;
  name: string;
  send(bytes: number[], dueMs: number): void;
  close(): void;
}

export interface LiveNotes {
  time_s: number[];
  length_s: number[];
  note: number[];
  velocity: number[];
  channel: number[];
}

const AHEAD_S = 0.18;
const EVERY_MS = 30;
const JUMPED_S = 0.25;
export const MODULE_ID = 'module';

/** Why the browser's MIDI ports cannot be used, in a sentence a person can act on. */
export function portProblem(error: unknown): string {
  if (!('requestMIDIAccess' in navigator))
    return (
      'This browser has no MIDI ports. The session is unchanged. Use the sound module that ' +
      'ships with Nubrak, or a browser with Web MIDI.'
    );
  const name = error instanceof DOMException ? error.name : '';
  if (name === 'NotAllowedError' || name === 'SecurityError')
    return (
      'The browser was not allowed to use MIDI ports. The session is unchanged. Allow MIDI ' +
      'for this page in the browser’s site settings, then choose the port again.'
    );
  return (
    'The MIDI ports could not be opened. The session is unchanged. Check that the device ' +
    'is plugged in and no other program holds it, then choose again.'
  );
}

/** The MIDI outputs of this machine; asks the person's permission. */
export async function ports(): Promise<{ id: string; name: string }[]> {
  const access = await navigator.requestMIDIAccess();
  return [...access.outputs.values()].map((port) => ({ id: port.id, name: port.name ?? 'MIDI port' }));
}

export async function openPort(id: string): Promise<Output> {
  const access = await navigator.requestMIDIAccess();
  const port = access.outputs.get(id);
  if (!port)
    throw new Error('This MIDI port is gone. The session is unchanged. Plug it in and choose it again.');
  await port.open();
  return {
    id,
    name: port.name ?? 'MIDI port',
    send: (bytes, dueMs) => port.send(bytes, dueMs),
    close: () => void port.close(),
  };
}

/** The simulated sound module: a receiver on the server that answers every note-on with its sound. */
export function openModule(onProblem: (text: string) => void): Promise<Output> {
  return new Promise((resolve, reject) => {
    const socket = new WebSocket(`${window.location.origin.replace(/^http/, 'ws')}/api/module`);
    socket.binaryType = 'arraybuffer';
    const context = new AudioContext({ sampleRate: 44100, latencyHint: 'interactive' });
    const due: number[] = [];
    let openHats: AudioBufferSourceNode[] = [];
    let meant = false;
    socket.onopen = () =>
      resolve({
        id: MODULE_ID,
        name: 'Nubrak sound module',
        send: (bytes, dueMs) => {
          if (socket.readyState !== WebSocket.OPEN) return;
          if ((bytes[0]! & 0xf0) === 0x90 && bytes[2]! > 0) due.push(dueMs);
          socket.send(new Uint8Array(bytes));
        },
        close: () => {
          meant = true;
          socket.close();
          void context.close();
        },
      });
    socket.onerror = () =>
      reject(
        new Error(
          'The sound module does not answer. The session is unchanged. Start Nubrak again and ' +
            'choose it once more.',
        ),
      );
    socket.onclose = () => {
      if (!meant)
        onProblem('The sound module was disconnected. The session is unchanged. Choose it again to go on.');
    };
    socket.onmessage = (event: MessageEvent<ArrayBuffer>) => {
      const dueMs = due.shift() ?? performance.now();
      const [note, , chokes] = new Uint8Array(event.data, 0, 4);
      const samples = new Float32Array(event.data.slice(4));
      if (!samples.length || context.state === 'closed') return;
      const buffer = context.createBuffer(2, samples.length / 2, 44100);
      for (const side of [0, 1]) {
        const channel = buffer.getChannelData(side);
        for (let i = 0; i < channel.length; i++) channel[i] = samples[2 * i + side]!;
      }
      const node = context.createBufferSource();
      node.buffer = buffer;
      node.connect(context.destination);
      const at = context.currentTime + Math.max(dueMs - performance.now(), 0) / 1000;
      node.start(at);
      if (chokes) {
        for (const open of openHats) open.stop(at);
        openHats = [];
      }
      if (note === 46) openHats.push(node);
    };
  });
}

/** Sends notes while they are due, a moment ahead, following the player through loops and jumps. */
export class LiveSender {
  private output: Output | null = null;
  private notes: LiveNotes | null = null;
  private timer = 0;
  private cursor = 0;
  private wasS: number | null = null;
  private wasMs = 0;
  private sounding = new Set<string>();

  use(output: Output | null): void {
    this.silence();
    this.output?.close();
    this.output = output;
    window.clearInterval(this.timer);
    if (output) this.timer = window.setInterval(() => this.tick(), EVERY_MS);
  }

  load(notes: LiveNotes | null): void {
    this.notes = notes;
    this.wasS = null;
  }

  private tick(): void {
    const nowS = player.positionS();
    const clockMs = performance.now();
    const passedS = this.wasS === null ? 0 : (clockMs - this.wasMs) / 1000;
    if (nowS === null || !this.notes || !this.output) {
      if (this.wasS !== null) {
        // Held up until the end: what was due before it stopped was played all the same.
        if (passedS > AHEAD_S) this.sendUntil(this.wasS + passedS, this.wasS + passedS, clockMs);
        this.silence();
      }
      this.wasS = null;
      return;
    }
    const { time_s } = this.notes;
    // A page that was held up catches up: what became due meanwhile is sent late rather than never. A jump
    // skips it.
    if (this.wasS === null || nowS < this.wasS - 0.001 || nowS > this.wasS + passedS + JUMPED_S) {
      if (this.wasS !== null) this.silence();
      this.cursor = time_s.findIndex((timeS) => timeS >= nowS - 0.002);
      if (this.cursor < 0) this.cursor = time_s.length;
    }
    this.wasS = nowS;
    this.wasMs = clockMs;
    this.sendUntil(nowS + AHEAD_S, nowS, clockMs);
  }

  private sendUntil(endS: number, nowS: number, clockMs: number): void {
    if (!this.notes || !this.output) return;
    const { time_s, length_s, note, velocity, channel } = this.notes;
    const untilS = Math.min(endS, player.loopEndS() ?? Infinity);
    while (this.cursor < time_s.length && time_s[this.cursor]! < untilS) {
      const i = this.cursor++;
      const dueMs = clockMs + (time_s[i]! - nowS) * 1000;
      const status = (channel[i]! - 1) & 0xf;
      this.output.send([0x90 | status, note[i]!, velocity[i]!], dueMs);
      this.output.send([0x80 | status, note[i]!, 0], dueMs + length_s[i]! * 1000);
      this.sounding.add(`${status}`);
    }
  }

  /** All notes off on every channel that was used. */
  private silence(): void {
    for (const status of this.sounding) this.output?.send([0xb0 | Number(status), 123, 0], performance.now());
    this.sounding.clear();
  }
}

export const live = new LiveSender();
