import { expect, test } from 'vitest';
import { wayAfter, waysOf } from './ways';

const HAT = [
  { id: 'closed', name: 'closed', note: 42 },
  { id: 'half', name: 'half open', note: 46 },
  { id: 'open', name: 'open', note: 46 },
  { id: 'pedal', name: 'pedal', note: 44 },
];
const line = (way: string | null, note: number) => ({
  key: way ? `hi-hat/${way}` : 'hi-hat',
  part_id: way ? null : 'p',
  piece: 'hi-hat' as const,
  way,
  name: '',
  note,
  own: note,
  called: '',
});

test('each way has the note of the session’s map, the plain one that of the part', () => {
  const lines = [line(null, 42), line('half', 23), line('open', 46), line('pedal', 44)];
  expect(waysOf(lines, HAT, 'hi-hat', 65).map((way) => way.note)).toEqual([65, 23, 46, 44]);
});

test('the next way is one that sounds on another note, and after the last comes the first', () => {
  const ways = waysOf([], HAT, 'hi-hat', 42).map((way, k) => ({ ...way, note: HAT[k]!.note }));
  expect(wayAfter(ways, 42).id).toBe('half');
  expect(wayAfter(ways, 46).id).toBe('pedal');
  expect(wayAfter(ways, 44).id).toBe('closed');
  expect(wayAfter(ways, 99).id).toBe('closed');
});
