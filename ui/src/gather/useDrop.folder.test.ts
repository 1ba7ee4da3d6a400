import { expect, test } from 'vitest';
import { ofFolder } from './useDrop';

test('of a chosen folder recordings and MIDI come in, in order of name', () => {
  const files = ['b.wav', 'notes.txt', 'a.WAV', 'cover.png', 'c.mid', 'table.csv'].map(
    (name) => new File([], name),
  );
  expect(ofFolder(files).map((file) => file.name)).toEqual(['a.WAV', 'b.wav', 'c.mid']);
});
