import { describe, expect, it, vi } from 'vitest';
import { gathered, type Lot } from './microphone';

vi.mock('./worklet.js?url&no-inline', () => ({ default: '' }));

describe('small lots made into larger ones', () => {
  it('keeps every sample in its order, and the number of the first', () => {
    const out: Lot[] = [];
    const take = gathered(300, (lot) => out.push(lot));
    for (let k = 0; k < 7; k++) take({ first: 50 + 128 * k, samples: new Float32Array(128).fill(k) });
    expect(out.map((lot) => [lot.first, lot.samples.length])).toEqual([
      [50, 384],
      [50 + 384, 384],
    ]);
    expect([...out[1]!.samples.filter((_, k) => k % 128 === 0)]).toEqual([3, 4, 5]);
  });
});
