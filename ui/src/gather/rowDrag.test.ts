import { describe, expect, it } from 'vitest';
import { placeAt, placeBeside } from './rowDrag';

const order = ['kick', 'snare', 'hat'];
// The kick has two microphones, and so two rows.
const rows = [
  { partId: 'kick', top: 0, bottom: 80 },
  { partId: 'kick', top: 80, bottom: 160 },
  { partId: 'snare', top: 160, bottom: 240 },
  { partId: 'hat', top: 240, bottom: 320 },
];

describe('a row that is dragged', () => {
  it('stands before what it is let go over the upper half of', () => {
    expect(placeAt(rows, order, 'hat', 10)).toBe(0);
    expect(placeAt(rows, order, 'hat', 170)).toBe(1);
    expect(placeAt(rows, order, 'kick', 230)).toBe(1);
    expect(placeAt(rows, order, 'kick', 900)).toBe(2);
  });

  it('goes with all rows of its part, and stays where it stands', () => {
    expect(placeAt(rows, order, 'kick', 20)).toBeNull();
    expect(placeAt(rows, order, 'snare', 210)).toBeNull();
    expect(placeAt(rows, order, 'hat', 310)).toBeNull();
  });

  it('goes one place by key, but not over an end', () => {
    expect(placeBeside(order, 'snare', -1)).toBe(0);
    expect(placeBeside(order, 'snare', 1)).toBe(2);
    expect(placeBeside(order, 'kick', -1)).toBeNull();
    expect(placeBeside(order, 'hat', 1)).toBeNull();
  });
});
