import { describe, expect, it } from 'vitest';
import { boxesOf, type Mode } from './layout';

const sizes: [number, number][] = [
  [600, 300],
  [860, 452],
  [1700, 900],
];

describe.each<Mode>(['find', 'notes'])('a stage that shows %s', (mode) => {
  it.each(sizes)(
    'of %d by %d puts waveform and field under each other, on one time axis, all inside',
    (width, height) => {
      const { wave, field, ladder } = boxesOf(width, height, mode);
      expect([field.left, field.width]).toEqual([wave.left, wave.width]);
      expect(field.top).toBeGreaterThan(wave.top + wave.height);
      expect(field.top + field.height).toBeLessThanOrEqual(height);
      expect(wave.left + wave.width).toBeLessThan(width);
      expect(field.height).toBeGreaterThan(0.4 * height);
      expect(ladder === null).toBe(mode === 'notes');
      if (ladder) {
        expect(ladder.left).toBeGreaterThan(wave.left + wave.width);
        expect(ladder.left + ladder.width).toBeLessThanOrEqual(width);
      }
    },
  );
});
