import { Key } from '../shell/Key';
import { COMMANDS, signsOf, type Command, type CommandId } from './catalogue';

/** The keys of a command, printed where it works. */
export function KeyOf({ of }: { of: CommandId }) {
  return signsOf((COMMANDS[of] as Command).keys[0]).map((sign) => <Key key={sign}>{sign}</Key>);
}
