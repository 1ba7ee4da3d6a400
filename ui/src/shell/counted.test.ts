import { expect, test } from 'vitest';
import { counted } from './counted';

test.each([
  [0, '0 hits'],
  [1, '1 hit'],
  [2, '2 hits'],
])('%i is said as %s', (count, said) => expect(counted(count, 'hit')).toBe(said));

test('a noun may have a plural of its own', () =>
  expect(counted(2, 'piece of it', 'pieces of it')).toBe('2 pieces of it'));
