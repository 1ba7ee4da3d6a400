import { describe, expect, it, vi } from 'vitest';
import { packed, PassSender, type Asked } from './sender';
import { wired } from './wire.fixture';

const ASKED: Asked = {
  rate_hz: 1000,
  channels: 1,
  start_s: 0,
  round_trip_s: 0,
  piece: 'clap',
  pieces: [],
  name: '',
  beside: null,
};
const lot = (value: number) => ({ first: 0, samples: new Float32Array(100).fill(value) });

const { wires, open } = wired();
const sender = () => new PassSender('s', ASKED, open);

describe('a pass that is sent while it is played', () => {
  it('holds what comes before the server answers, and sends it then', () => {
    const one = sender();
    one.take(lot(1));
    one.take(lot(2));
    wires[0]!.open();
    expect(JSON.parse(wires[0]!.sent[0] as string)).toEqual({ asked: ASKED });
    wires[0]!.say({ stream_id: 'x', kept: 0 });
    one.take(lot(3));
    expect(wires[0]!.firsts()).toEqual([0, 100, 200]);
    expect(one.secondsS).toEqual({ played: 0.3, waiting: 0.3 });
    wires[0]!.say({ kept: 200 });
    expect(one.secondsS.waiting).toBeCloseTo(0.1);
  });

  it('goes on where it was after the connection was lost, and loses nothing', () => {
    const one = sender();
    const lost = vi.fn();
    one.onLost = lost;
    wires[0]!.open();
    wires[0]!.say({ stream_id: 'x', kept: 0 });
    one.take(lot(1));
    one.take(lot(2));
    wires[0]!.say({ kept: 100 });
    wires[0]!.cut();
    expect(lost).toHaveBeenCalledOnce();
    one.take(lot(3));
    vi.advanceTimersByTime(1000);
    wires[1]!.open();
    expect(JSON.parse(wires[1]!.sent[0] as string)).toEqual({ stream_id: 'x' });
    // Nothing is sent before it is known what the server has: a later lot would come before an earlier one.
    one.take(lot(4));
    expect(wires[1]!.firsts()).toEqual([]);
    wires[1]!.say({ stream_id: 'x', kept: 100 });
    expect(wires[1]!.firsts()).toEqual([100, 200, 300]);
  });

  it('counts frames, however many channels a frame has', () => {
    const one = new PassSender('s', { ...ASKED, channels: 2, pieces: ['kick', 'snare'] }, open);
    wires[0]!.open();
    wires[0]!.say({ stream_id: 'x', kept: 0 });
    one.take(lot(1));
    one.take(lot(2));
    expect(wires[0]!.firsts()).toEqual([0, 50]);
    wires[0]!.say({ kept: 50 });
    expect(one.secondsS).toEqual({ played: 0.1, waiting: 0.05 });
  });

  it('becomes a take only once all of it is kept', () => {
    const one = sender();
    const finished = vi.fn();
    one.onFinished = finished;
    wires[0]!.open();
    wires[0]!.say({ stream_id: 'x', kept: 0 });
    one.take(lot(1));
    one.finish();
    one.take(lot(2));
    expect(wires[0]!.sent).not.toContain('{"finish":true}');
    wires[0]!.say({ kept: 100 });
    expect(wires[0]!.sent.filter((of) => of === '{"finish":true}')).toHaveLength(1);
    wires[0]!.say({ finished: true, revision: 3 });
    expect(finished).toHaveBeenCalledOnce();
    wires[0]!.cut();
    vi.advanceTimersByTime(5000);
    expect(wires).toHaveLength(1);
  });

  it('says what went wrong, in the server’s own sentences', () => {
    const one = sender();
    const problem = vi.fn();
    one.onProblem = problem;
    wires[0]!.open();
    wires[0]!.say({ problem: 'The disk is full.', kept_so: 'It is kept.', todo: 'Make room.' });
    expect(problem).toHaveBeenCalledWith('The disk is full. It is kept. Make room.');
    wires[0]!.cut();
    vi.advanceTimersByTime(5000);
    expect(wires).toHaveLength(1);
  });
});

describe('a lot on the way', () => {
  it('carries the number of its first frame and every sample as it is', () => {
    const bytes = packed(2 ** 40 + 7, new Float32Array([0.25, -1, 1e-9]));
    expect(new DataView(bytes).getBigUint64(0, true)).toBe(BigInt(2 ** 40 + 7));
    expect([...new Float32Array(bytes.slice(8))]).toEqual([0.25, -1, Math.fround(1e-9)]);
  });
});
