import type { components } from './schema';

type ProblemBody = components['schemas']['ProblemBody'];

/** What went wrong, as the server says it, or that it could not be reached. */
export class Refusal extends Error {
  constructor(
    readonly problem: ProblemBody,
    readonly status: number,
  ) {
    super([problem.what, problem.kept, problem.todo].filter(Boolean).join(' '));
  }
}

/** The answer to what was asked; throws a `Refusal` that says so where the server could not be reached. */
export async function reached<T>(asked: Promise<T>): Promise<T> {
  try {
    return await asked;
  } catch {
    throw new Refusal(
      {
        what: 'Nubrak does not answer.',
        kept: 'What was acknowledged is kept.',
        todo: 'Start it again with ./nubrak start.',
      },
      0,
    );
  }
}
