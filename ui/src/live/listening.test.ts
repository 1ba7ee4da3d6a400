import { describe, expect, it, vi } from 'vitest';
import { wired } from '../record/wire.fixture';
import { Listening, type Asked } from './listening';

const ASKED = { origin: 'microphone', part_ids: ['a'] } as unknown as Asked;
const { wires, open } = wired();
const listening = () => new Listening('s', ASKED, open);

describe('live listening', () => {
  it('leaves out what would come too late where the server cannot keep up', () => {
    const one = listening();
    wires[0]!.open();
    one.take({ first: 0, samples: new Float32Array(128) });
    wires[0]!.bufferedAmount = 2 << 20;
    one.take({ first: 128, samples: new Float32Array(128) });
    expect(wires[0]!.sent.filter((of) => of instanceof ArrayBuffer)).toHaveLength(1);
    expect(one.leftOut).toBe(1);
    wires[0]!.bufferedAmount = 0;
    one.take({ first: 256, samples: new Float32Array(128) });
    const firsts = wires[0]!.sent.flatMap((of) =>
      of instanceof ArrayBuffer ? [Number(new DataView(of).getBigUint64(8, true))] : [],
    );
    expect(firsts).toEqual([0, 256]);
  });

  it('says that the connection was lost, and is there again', () => {
    const one = listening();
    const [lost, again] = [vi.fn(), vi.fn()];
    one.onLost = lost;
    one.onAgain = again;
    wires[0]!.open();
    wires[0]!.close();
    vi.advanceTimersByTime(800);
    expect(lost).toHaveBeenCalledOnce();
    expect(again).toHaveBeenCalledOnce();
    wires[1]!.open();
    expect(JSON.parse(wires[1]!.sent[0] as string)).toEqual(ASKED);
  });

  it('says which recording what was heard becomes', () => {
    const one = listening();
    wires[0]!.open();
    one.stop('abc');
    expect(wires[0]!.sent).toContain('{"stop":true,"pass_id":"abc"}');
  });

  it('ends where the server says so', () => {
    const one = listening();
    const said = vi.fn();
    one.onSaid = said;
    wires[0]!.open();
    one.stop();
    expect(wires[0]!.sent).toContain('{"stop":true}');
    wires[0]!.onmessage({ data: '{"ended":true,"take_id":"t"}' });
    wires[0]!.close();
    vi.advanceTimersByTime(5000);
    expect(wires).toHaveLength(1);
    expect(said).toHaveBeenCalledWith({ ended: true, take_id: 't' });
  });
});
