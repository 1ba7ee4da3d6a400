import { describe, expect, it } from 'vitest';
import { brightX, fitted, inside, longY, nearest, saidHz, saidS, WHOLE, zoomed } from './mapLayout';

const BOX = { left: 50, top: 20, width: 400, height: 200 };

describe('the map of sounds', () => {
  it('stands dark to the left and long on top', () => {
    expect(brightX(100, WHOLE, BOX)).toBeLessThan(brightX(5000, WHOLE, BOX));
    expect(longY(1, WHOLE, BOX)).toBeLessThan(longY(0.05, WHOLE, BOX));
  });
  it('gives each octave the same room', () => {
    const octave = brightX(200, WHOLE, BOX) - brightX(100, WHOLE, BOX);
    expect(brightX(8000, WHOLE, BOX) - brightX(4000, WHOLE, BOX)).toBeCloseTo(octave);
  });
  it('shows everything with a margin, and never less than three octaves', () => {
    const view = fitted([100, 6000], [0.05, 1]);
    expect(brightX(100, view, BOX)).toBeGreaterThan(BOX.left);
    expect(brightX(6000, view, BOX)).toBeLessThan(BOX.left + BOX.width);
    const single = fitted([300], [0.2]);
    expect(single.brightTo - single.brightFrom).toBeCloseTo(3);
    expect(fitted([], [])).toEqual(WHOLE);
  });
  it('keeps what is under the pointer there while it zooms', () => {
    const x = brightX(1000, WHOLE, BOX);
    const y = longY(0.3, WHOLE, BOX);
    const view = zoomed(WHOLE, 0.5, x, y, BOX);
    expect(brightX(1000, view, BOX)).toBeCloseTo(x);
    expect(longY(0.3, view, BOX)).toBeCloseTo(y);
    expect(view.brightTo - view.brightFrom).toBeCloseTo((WHOLE.brightTo - WHOLE.brightFrom) / 2);
  });
  it('finds the nearest stroke within reach', () => {
    const points = [
      { x: 10, y: 10 },
      { x: 20, y: 10 },
    ];
    expect(nearest(points, 17, 10, 8)).toBe(1);
    expect(nearest(points, 60, 10, 8)).toBeNull();
  });
  it('knows inside from outside, also of a line with a dent', () => {
    const dented = [
      { x: 0, y: 0 },
      { x: 10, y: 0 },
      { x: 5, y: 5 },
      { x: 10, y: 10 },
      { x: 0, y: 10 },
    ];
    expect(inside(dented, 2, 5)).toBe(true);
    expect(inside(dented, 8, 5)).toBe(false);
    expect(inside([], 0, 0)).toBe(false);
  });
  it('says numbers with units', () => {
    expect([saidHz(180), saidHz(2500), saidHz(12000)]).toEqual(['180 Hz', '2.5 kHz', '12 kHz']);
    expect([saidS(0.08), saidS(1.24)]).toEqual(['80 ms', '1.2 s']);
  });
});
