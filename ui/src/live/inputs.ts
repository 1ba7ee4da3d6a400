/** Which input of the microphone each part listens to, from 1 on; a part that is not there listens to none. */
export type Inputs = Record<string, number>;

/** The parts that listen and their inputs, in the order of the inputs. */
export function inOrder(inputs: Inputs): { partIds: string[]; channels: number[] } {
  const pairs = Object.entries(inputs).sort(([, one], [, other]) => one - other);
  return { partIds: pairs.map(([id]) => id), channels: pairs.map(([, input]) => input - 1) };
}

/** A part listens to an input, or to none; an input is one part's, so another's is taken from it. */
export function withInput(inputs: Inputs, partId: string, input: number | null): Inputs {
  const others = Object.entries(inputs).filter(([id, one]) => id !== partId && one !== input);
  return Object.fromEntries(input === null ? others : [...others, [partId, input]]);
}

/** Why a device cannot be listened to with these inputs, if it cannot. */
export function tooFew(inputs: Inputs, has: number, nameOf: (partId: string) => string): string | null {
  const beyond = Object.entries(inputs).filter(([, input]) => input > has);
  if (!beyond.length) return null;
  const [partId, input] = beyond[0]!;
  return (
    `This microphone has ${has === 1 ? 'one input' : `${has} inputs`}, and ${nameOf(partId)} listens to input ` +
    `${input}. The session is unchanged. Choose an input that is there, or another microphone.`
  );
}
