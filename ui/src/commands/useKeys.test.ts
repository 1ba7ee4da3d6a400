// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import { keyName } from './useKeys';

const press = (key: string, more: KeyboardEventInit = {}) =>
  keyName(new KeyboardEvent('keydown', { key, ...more }));

describe('key names', () => {
  it('name a press the same whatever the layout shifts', () => {
    expect(press('k')).toBe('k');
    expect(press('K')).toBe('k');
    expect(press('?', { shiftKey: true })).toBe('?');
    expect(press('+', { shiftKey: true })).toBe('+');
    expect(press('ArrowLeft', { shiftKey: true })).toBe('Shift+ArrowLeft');
    expect(press('Z', { ctrlKey: true, shiftKey: true })).toBe('Ctrl+Shift+z');
    expect(press('z', { metaKey: true })).toBe('Ctrl+z');
  });
});
