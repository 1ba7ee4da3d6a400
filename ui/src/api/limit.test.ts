import { describe, expect, it } from 'vitest';
import { digitsOf, held, limitOf, scaled } from './limit';

describe('limits', () => {
  it('come from the models', () => {
    expect(limitOf('FindSettings', 'threshold_db')).toMatchObject({
      least: -96,
      most: 0,
      step: 0.1,
      unit: 'dB',
    });
    expect(limitOf('Grid', 'swing_percent').usual).toBe(50);
    expect(limitOf('Timing', 'shift_ms')).toMatchObject({ least: -500, most: 500, low: -60, high: 60 });
  });

  it('hold a number inside them, also far down', () => {
    const threshold = limitOf('FindSettings', 'threshold_db');
    expect(held(-72.5, threshold)).toBe(-72.5);
    expect(held(-200, threshold)).toBe(-96);
    expect(held(3, threshold)).toBe(0);
  });

  it('can be told by another measure', () => {
    const percent = scaled(limitOf('Layer', 'velocity_amount'), 100, '%', 5);
    expect(percent).toMatchObject({ least: 0, most: 200, step: 5, unit: '%', usual: 100 });
  });

  it('show as many digits as a step has', () => {
    expect([1, 5, 0.5, 0.1, 0.05, 0.0625].map(digitsOf)).toEqual([0, 0, 1, 1, 2, 2]);
  });
});
