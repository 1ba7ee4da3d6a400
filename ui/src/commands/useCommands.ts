import { COMMANDS, type Command, type CommandId } from './catalogue';
import { useKeys, type Keys } from './useKeys';

export type Doings = Partial<Record<CommandId, () => void>>;

/** The presses that do these commands. */
export function keysOf(doings: Doings): Keys {
  const keys: Keys = {};
  for (const [id, work] of Object.entries(doings) as [CommandId, () => void][])
    for (const key of (COMMANDS[id] as Command).keys) keys[key] = work;
  return keys;
}

/** Do these commands by keyboard while this is on screen. Later ones go first. */
export function useCommands(doings: Doings, more: Keys = {}): void {
  useKeys({ ...keysOf(doings), ...more });
}
