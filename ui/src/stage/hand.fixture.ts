/** What a pointer does in a test of a gesture. */
export type Doing = 'down' | 'move' | 'up' | 'cancel';

/** A hand that presses, moves and lets go: gives the state it is in then, and all that followed. */
export interface Hand<State, Effect> {
  state: State;
  effects: Effect[];
  last: Effect | undefined;
}

/** A gesture in a test's hand: `happen` makes one step of it at a place. */
export function handOf<State, Effect, Place>(
  idle: State,
  happen: (state: State, kind: Doing, place: Place) => [State, Effect[]],
) {
  const run = (from: Place, through: Place[], last: Doing[]): Hand<State, Effect> => {
    let state = idle;
    const effects: Effect[] = [];
    const end = through[through.length - 1] ?? from;
    const steps: [Doing, Place][] = [
      ['down', from],
      ...through.map((place): [Doing, Place] => ['move', place]),
    ];
    for (const [kind, place] of [...steps, ...last.map((kind): [Doing, Place] => [kind, end])]) {
      const [next, more] = happen(state, kind, place);
      state = next;
      effects.push(...more);
    }
    return { state, effects, last: effects[effects.length - 1] };
  };
  return {
    /** Pressed, moved and let go. */
    drags: (from: Place, through: Place[] = []) => run(from, through, ['up']),
    /** Pressed and moved, still held. */
    holds: (from: Place, through: Place[] = []) => run(from, through, []),
    /**
     * What follows when Escape is pressed in the middle of a drag, and nothing when the pointer is let go
     * after it.
     */
    givesUp: (from: Place, through: Place[]): Effect[] => {
      const before = run(from, through, []).effects.length;
      return run(from, through, ['cancel', 'up']).effects.slice(before);
    },
  };
}
