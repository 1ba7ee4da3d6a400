import { describe, expect, it } from 'vitest';
import { rowAt, State } from './states';

describe('the row at a place', () => {
  const rows = {
    time_s: [0.5, 1, 1, 1.0004, 2],
    state: [State.Hit, State.HeldOff, State.Hit, State.SoftRise, State.Under],
  };
  it('is the one that counts where several stand there', () => {
    expect(rowAt(rows, 1, 0.0005)).toBe(2);
    expect(rowAt(rows, 0.5, 0.0005)).toBe(0);
  });
  it('is the first of them where none counts, and none where nothing is', () => {
    expect(rowAt(rows, 2.0002, 0.0005)).toBe(4);
    expect(rowAt({ ...rows, state: rows.state.map(() => State.Under) }, 1, 0.0005)).toBe(1);
    expect(rowAt(rows, 1.5, 0.0005)).toBe(-1);
  });
});
