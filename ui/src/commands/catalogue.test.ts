import { describe, expect, it } from 'vitest';
import {
  COMMANDS,
  commandsOf,
  pieceKey,
  saidOf,
  signsOf,
  type Command,
  type CommandId,
  type Place,
} from './catalogue';

const all = Object.entries(COMMANDS) as [CommandId, Command][];
const PLACES: Place[] = [
  'everywhere',
  'gather',
  'find',
  'second look',
  'sort',
  'shape',
  'write',
  'cut',
  'layer',
];

describe('the commands', () => {
  it('share no key: a key means one thing everywhere', () => {
    const owners = new Map<string, string>();
    for (const [id, { keys }] of all) {
      for (const key of keys) {
        expect(owners.get(key), `${key} is both ${owners.get(key)} and ${id}`).toBeUndefined();
        owners.set(key, id);
      }
    }
  });

  it('leave Shift and a letter to the pieces', () => {
    for (const letter of 'abcdefghijklmnopqrstuvwxyz')
      expect(all.filter(([, { keys }]) => keys.includes(pieceKey(letter)))).toEqual([]);
  });

  it('say what they do wherever they work, and nowhere else', () => {
    for (const [id, { where }] of all) {
      expect(where.length).toBeGreaterThan(0);
      for (const place of PLACES)
        if (where.includes(place)) expect(saidOf(id, place), `${id} in ${place}`).not.toBe('');
    }
    for (const place of PLACES) expect(commandsOf(place).length).toBeGreaterThan(2);
  });

  it('are printed with signs', () => {
    expect(signsOf('Alt+Shift+ArrowLeft')).toEqual(['Alt', 'Shift', '←']);
    expect(signsOf('+')).toEqual(['+']);
    expect(signsOf(' ')).toEqual(['Space']);
    expect(signsOf('Ctrl+z')).toEqual(['Ctrl', 'Z']);
  });
});
