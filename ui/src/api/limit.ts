import { LIMITS, type Limit } from './limits';

type Limits = typeof LIMITS;
export type { Limit };

/**
 * The limit of a number of a model. A field that the model does not have, or that is no number, does not
 * compile.
 */
export function limitOf<M extends keyof Limits, F extends keyof Limits[M]>(model: M, field: F): Limit {
  return LIMITS[model][field] as Limit;
}

/** The same number told by another measure: percent of a factor, samples of a time. */
export function scaled(limit: Limit, factor: number, unit: string, step = limit.step * factor): Limit {
  const { least, most, low, high, usual } = limit;
  return {
    least: least * factor,
    most: most * factor,
    low: low * factor,
    high: high * factor,
    usual: usual === null ? null : usual * factor,
    step,
    unit,
  };
}

/** A number held inside its bounds. */
export function held(value: number, { least, most }: Limit): number {
  return Math.min(Math.max(value, least), most);
}

/** How many digits behind the point a step shows. */
export function digitsOf(step: number): number {
  return Math.min(Math.max(Math.ceil(-Math.log10(step) - 1e-9), 0), 4);
}
