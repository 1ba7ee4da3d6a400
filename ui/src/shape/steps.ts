import { limitOf, type Limit } from '../api/limit';
import type { LIMITS } from '../api/limits';
import type { Step } from './useShape';

export interface StepSetting {
  field: string;
  name: string;
  limit: Limit;
  about: string;
  /** Empty means: follow what the strokes themselves say. */
  follows?: string;
}

interface StepWords {
  word: string;
  about: string;
  settings: StepSetting[];
}

/** One setting of a step: a number of its model, and what it is called. */
function at<M extends keyof typeof LIMITS, F extends keyof (typeof LIMITS)[M] & string>(
  model: M,
  field: F,
  name: string,
  about: string,
  follows?: string,
): StepSetting {
  return { field, name, limit: limitOf(model, field), about, follows };
}

/** What each step is called, and what can be set of it. What it does is the server's. */
export const STEPS: Record<Step['kind'], StepWords> = {
  raise: {
    word: 'Raise or lower',
    about: 'all by the same',
    settings: [at('Raise', 'by', 'By', 'velocities up or down')],
  },
  scale: {
    word: 'Scale',
    about: 'nearer to a pivot, or further from it',
    settings: [
      at('Scale', 'percent', 'Distance', 'from the pivot, 100 % as it is'),
      at('Scale', 'pivot', 'Pivot', 'what stays where it is', 'their mean'),
    ],
  },
  even: {
    word: 'Even out',
    about: 'towards the strokes around, still alive',
    settings: [
      at('EvenOut', 'percent', 'Drawn by', 'towards the local mean'),
      at('EvenOut', 'around', 'Strokes', 'on either side make the mean'),
    ],
  },
  random: {
    word: 'Vary at random',
    about: 'a little different, the same every time',
    settings: [
      at('Randomise', 'amount', 'Up to', 'softer or louder'),
      at('Randomise', 'seed', 'Variant', 'another number, another pattern'),
    ],
  },
  limits: {
    word: 'Floor and ceiling',
    about: 'nothing softer, nothing louder',
    settings: [
      at('Limits', 'floor', 'Floor', 'softest velocity'),
      at('Limits', 'ceiling', 'Ceiling', 'loudest velocity'),
    ],
  },
  set: {
    word: 'Set to one value',
    about: 'all the same',
    settings: [at('SetTo', 'velocity', 'Velocity', 'of every one of them')],
  },
  ghosts: {
    word: 'Make ghosts',
    about: 'soft, with their relations kept',
    settings: [at('Ghosts', 'loudest', 'Loudest', 'the strongest becomes this')],
  },
  recovery: {
    word: 'Recovery',
    about: 'fast repeats weaken as a hand tires',
    settings: [
      at('Recovery', 'depth_percent', 'Depth', 'what a stroke at once loses'),
      at('Recovery', 'recovery_ms', 'Back after', 'two thirds of it'),
    ],
  },
  accents: {
    word: 'Accents',
    about: 'beats stronger than what lies between',
    settings: [at('Accents', 'percent', 'Amount', 'the weakest places lose this')],
  },
  line: { word: 'Drawn line', about: 'drawn over the notes', settings: [] },
};

/** A new step of a kind, as the server fills it. */
export const newStep = (kind: Step['kind'], scope: Step['scope']): Step =>
  ({ kind, on: true, scope }) as Step;
