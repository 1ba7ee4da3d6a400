import { describe, expect, it } from 'vitest';
import { stripOf } from './strip';

const line = (start_s: number, end_s: number, struck = '') => ({
  start_s,
  attack_s: start_s,
  end_s,
  found_s: start_s,
  struck,
  piece: 'else',
  fade_in_ms: 0,
  fade_out_ms: null,
  by_hand: false,
});

describe('slices along a strip', () => {
  it('are as wide as they are long, from where the source begins', () => {
    const strip = stripOf([line(2, 3, 'kick'), line(3, 6, 'snare hi-hat')]);
    expect(strip.map((one) => [one.left, one.width])).toEqual([
      ['0%', '25%'],
      ['25%', '75%'],
    ]);
    expect(strip[1]!.said).toBe('2: snare hi-hat, 3000 ms');
  });

  it('say that nothing is struck, and leave the number out where it has no room', () => {
    const strip = stripOf([line(0, 0.01), line(0.01, 1)]);
    expect(strip[0]!.said).toBe('1: nothing struck, 10 ms');
    expect(strip.map((one) => one.roomy)).toEqual([false, true]);
  });

  it('are none where there is no source', () => {
    expect(stripOf([])).toEqual([]);
  });
});
