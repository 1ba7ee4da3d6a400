import { afterEach, beforeEach, vi } from 'vitest';

/** A web socket that a test opens, hears and cuts. */
export class Wire {
  static readonly OPEN = 1;
  readyState = 0;
  bufferedAmount = 0;
  sent: (string | ArrayBuffer)[] = [];
  onopen: () => void = () => undefined;
  onmessage: (event: { data: string }) => void = () => undefined;
  onclose: () => void = () => undefined;
  send(one: string | ArrayBuffer): void {
    this.sent.push(one);
  }
  close(): void {
    this.cut();
  }
  open(): void {
    this.readyState = Wire.OPEN;
    this.onopen();
  }
  say(one: object): void {
    this.onmessage({ data: JSON.stringify(one) });
  }
  cut(): void {
    this.readyState = 3;
    this.onclose();
  }
  /** The numbers of the first frames of what was sent. */
  firsts(): number[] {
    return this.sent.flatMap((one) =>
      one instanceof ArrayBuffer ? [Number(new DataView(one).getBigUint64(0, true))] : [],
    );
  }
}

/** The sockets that were opened in a test, in their order, under a clock of the test's own. */
export function wired(): { wires: Wire[]; open: () => WebSocket } {
  const out = {
    wires: [] as Wire[],
    open: () => {
      out.wires.push(new Wire());
      return out.wires[out.wires.length - 1] as unknown as WebSocket;
    },
  };
  beforeEach(() => {
    out.wires.length = 0;
    vi.useFakeTimers();
    vi.stubGlobal('WebSocket', Wire);
    vi.stubGlobal('window', globalThis);
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });
  return out;
}
