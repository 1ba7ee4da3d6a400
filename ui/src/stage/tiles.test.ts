import { afterEach, describe, expect, it, vi } from 'vitest';
import { exponentFor, extremes, onTile, TILE_BINS } from './tiles';

afterEach(() => vi.unstubAllGlobals());

describe('tiles', () => {
  it('are asked for once and then give the extremes of a stretch', async () => {
    const bins = new Int16Array(2 * TILE_BINS);
    for (let i = 0; i < TILE_BINS; i++) bins.set([-i * 10, i * 20], 2 * i);
    const ask = vi.fn(async () => ({ ok: true, arrayBuffer: async () => bins.buffer }));
    vi.stubGlobal('fetch', ask);
    const came = new Promise<void>((done) => onTile(done));
    expect(extremes('a', 0, 256, 6)).toBeNull();
    expect(extremes('a', 0, 256, 6)).toBeNull();
    await came;
    expect(ask).toHaveBeenCalledTimes(1);
    const [low, high] = extremes('a', 2 * 64, 5 * 64, 6)!;
    expect(low).toBeCloseTo(-40 / 32767, 9);
    expect(high).toBeCloseTo(80 / 32767, 9);
  });
  it('are just finer than a pixel', () => {
    expect(exponentFor(0.3)).toBe(0);
    expect(exponentFor(100)).toBe(6);
    expect(exponentFor(128)).toBe(7);
  });
});
