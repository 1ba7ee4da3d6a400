import { expect, test } from 'vitest';
import { roomSaid } from './room';

test('a size is said with three digits at most', () => {
  expect(roomSaid(0)).toBe('0 bytes');
  expect(roomSaid(999)).toBe('999 bytes');
  expect(roomSaid(1_500)).toBe('1.5 kB');
  expect(roomSaid(999_700)).toBe('1.0 MB');
  expect(roomSaid(43_210_000)).toBe('43 MB');
  expect(roomSaid(3_140_000_000)).toBe('3.1 GB');
  expect(roomSaid(5e15)).toBe('5000 TB');
});
