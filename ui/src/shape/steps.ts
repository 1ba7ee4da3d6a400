import type { Step } from './useShape';

export interface StepSetting {
  field: string;
  name: string;
  unit: string;
  least: number;
  most: number;
  step: number;
  about: string;
  /** Empty means: follow what the strokes themselves say. */
  follows?: string;
}

interface StepWords {
  word: string;
  about: string;
  settings: StepSetting[];
}

/** What each step is called, and what can be set of it. What it does is the server's. */
export const STEPS: Record<Step['kind'], StepWords> = {
  raise: {
    word: 'Raise or lower',
    about: 'all by the same',
    settings: [{ field: 'by', name: 'By', unit: 'vel', least: -60, most: 60, step: 1, about: 'velocities up or down' }],
  },
  scale: {
    word: 'Scale',
    about: 'nearer to a pivot, or further from it',
    settings: [
      {
        field: 'percent',
        name: 'Distance',
        unit: '%',
        least: 0,
        most: 200,
        step: 1,
        about: 'from the pivot, 100 % as it is',
      },
      {
        field: 'pivot',
        name: 'Pivot',
        unit: 'vel',
        least: 0,
        most: 127,
        step: 1,
        about: 'what stays where it is',
        follows: 'their mean',
      },
    ],
  },
  even: {
    word: 'Even out',
    about: 'towards the strokes around, still alive',
    settings: [
      { field: 'percent', name: 'Drawn by', unit: '%', least: 0, most: 100, step: 1, about: 'towards the local mean' },
      {
        field: 'around',
        name: 'Strokes',
        unit: '±',
        least: 1,
        most: 32,
        step: 1,
        about: 'on either side make the mean',
      },
    ],
  },
  random: {
    word: 'Vary at random',
    about: 'a little different, the same every time',
    settings: [
      { field: 'amount', name: 'Up to', unit: 'vel', least: 0, most: 40, step: 1, about: 'softer or louder' },
      {
        field: 'seed',
        name: 'Variant',
        unit: 'no.',
        least: 0,
        most: 99,
        step: 1,
        about: 'another number, another pattern',
      },
    ],
  },
  limits: {
    word: 'Floor and ceiling',
    about: 'nothing softer, nothing louder',
    settings: [
      { field: 'floor', name: 'Floor', unit: 'vel', least: 1, most: 127, step: 1, about: 'softest velocity' },
      { field: 'ceiling', name: 'Ceiling', unit: 'vel', least: 1, most: 127, step: 1, about: 'loudest velocity' },
    ],
  },
  set: {
    word: 'Set to one value',
    about: 'all the same',
    settings: [
      { field: 'velocity', name: 'Velocity', unit: 'vel', least: 1, most: 127, step: 1, about: 'of every one of them' },
    ],
  },
  ghosts: {
    word: 'Make ghosts',
    about: 'soft, with their relations kept',
    settings: [
      {
        field: 'loudest',
        name: 'Loudest',
        unit: 'vel',
        least: 1,
        most: 90,
        step: 1,
        about: 'the strongest becomes this',
      },
    ],
  },
  recovery: {
    word: 'Recovery',
    about: 'fast repeats weaken as a hand tires',
    settings: [
      {
        field: 'depth_percent',
        name: 'Depth',
        unit: '%',
        least: 0,
        most: 100,
        step: 1,
        about: 'what a stroke at once loses',
      },
      {
        field: 'recovery_ms',
        name: 'Back after',
        unit: 'ms',
        least: 20,
        most: 800,
        step: 5,
        about: 'two thirds of it',
      },
    ],
  },
  accents: {
    word: 'Accents',
    about: 'beats stronger than what lies between',
    settings: [
      {
        field: 'percent',
        name: 'Amount',
        unit: '%',
        least: 0,
        most: 100,
        step: 1,
        about: 'the weakest places lose this',
      },
    ],
  },
  line: { word: 'Drawn line', about: 'drawn over the notes', settings: [] },
};

/** A new step of a kind, as the server fills it. */
export const newStep = (kind: Step['kind'], scope: Step['scope']): Step => ({ kind, on: true, scope }) as Step;
