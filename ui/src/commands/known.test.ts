// @vitest-environment jsdom
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { COMMANDS, type CommandId } from './catalogue';
import { LESSONS, lessonOf } from './known';

beforeEach(() => localStorage.clear());

describe('the key line', () => {
  it('teaches one thing after the other and stops when all are known', () => {
    const known: Record<string, number> = {};
    const taught: string[] = [];
    for (let lesson = lessonOf('find', known); lesson; lesson = lessonOf('find', known)) {
      taught.push(lesson[0]);
      known[COMMANDS[lesson[0]].keys[0]] = 2;
    }
    expect(taught).toEqual(LESSONS.find!.map(([id]) => id));
  });

  it('teaches only what its bench can do', () => {
    for (const [bench, lessons] of Object.entries(LESSONS))
      for (const [id] of lessons as [CommandId, string][])
        expect(COMMANDS[id].where.some((place) => place === 'everywhere' || place === bench)).toBe(true);
  });

  it('remembers what was pressed twice, and forgets nothing that is broken', async () => {
    vi.resetModules();
    const first = await import('./known');
    first.pressed('ArrowRight');
    expect(JSON.parse(localStorage.getItem('nubrak-keys-known')!)).toEqual({ ArrowRight: 1 });
    first.pressed('ArrowRight');
    first.pressed('ArrowRight');
    expect(JSON.parse(localStorage.getItem('nubrak-keys-known')!)).toEqual({ ArrowRight: 2 });
    localStorage.setItem('nubrak-keys-known', '{broken');
    vi.resetModules();
    const again = await import('./known');
    expect(() => again.pressed('k')).not.toThrow();
  });
});
