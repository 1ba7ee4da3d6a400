import { describe, expect, it } from 'vitest';
import { LIMITS } from '../api/limits';
import { newStep, STEPS } from './steps';

describe('the steps', () => {
  it('say in words what each does, and every setting has limits and a unit or a plain number', () => {
    for (const { word, about, settings } of Object.values(STEPS)) {
      expect(word).not.toBe('');
      expect(about).not.toBe('');
      for (const { limit, name } of settings) {
        expect(name).not.toBe('');
        expect(limit.low!).toBeLessThan(limit.high!);
        expect(limit.step).toBeGreaterThan(0);
      }
    }
  });

  it('ask for nothing that no model has', () => {
    const fields = Object.values(LIMITS).flatMap((model) => Object.keys(model));
    for (const { settings } of Object.values(STEPS))
      for (const { field } of settings) expect(fields).toContain(field);
  });

  it('begin switched on, over what they are given, and leave the rest to the server', () => {
    const scope = { which: 'all' } as never;
    expect(newStep('even', scope)).toEqual({ kind: 'even', on: true, scope });
  });
});
