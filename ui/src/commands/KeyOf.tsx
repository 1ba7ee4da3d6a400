import { Key } from '../shell/Key';
import { COMMANDS, signsOf, type Command, type CommandId } from './catalogue';

/** The keys of a command, printed where it works. */
export function KeyOf({ of, painted }: { of: CommandId; painted?: boolean }) {
  return signsOf((COMMANDS[of] as Command).keys[0]).map((sign) => (
    <Key key={sign} painted={painted}>
      {sign}
    </Key>
  ));
}
