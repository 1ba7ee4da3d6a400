import { describe, expect, it } from 'vitest';
import { inOrder, tooFew, withInput, type Inputs } from './inputs';

describe('inputs of a microphone', () => {
  it('are one part’s each, and in their order', () => {
    let inputs: Inputs = withInput({}, 'kick', 2);
    inputs = withInput(inputs, 'snare', 1);
    expect(inOrder(inputs)).toEqual({ partIds: ['snare', 'kick'], channels: [0, 1] });
    inputs = withInput(inputs, 'hats', 2);
    expect(inputs).toEqual({ snare: 1, hats: 2 });
    expect(withInput(inputs, 'snare', null)).toEqual({ hats: 2 });
    expect(withInput(inputs, 'hats', 5)).toEqual({ snare: 1, hats: 5 });
  });

  it('that the device has not are said, with what to do', () => {
    const nameOf = (id: string) => id.toUpperCase();
    expect(tooFew({ kick: 1, snare: 2 }, 2, nameOf)).toBeNull();
    expect(tooFew({ kick: 1, snare: 3 }, 1, nameOf)).toContain('has one input, and SNARE listens to input 3');
  });
});
