// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { show } from '../api/hook.fixture';
import { useKeys } from './useKeys';

function Player() {
  useKeys({ ' ': () => played++, Enter: () => played++ });
  return null;
}

let played = 0;
let stop: () => void;
beforeEach(() => {
  played = 0;
  document.body.innerHTML = '<button id="act">act</button><input id="text"><p id="plain">plain</p>';
  stop = show(<Player />).away;
});
afterEach(() => stop());

const press = (id: string, key: string) =>
  document.getElementById(id)!.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
const focused = () => document.activeElement?.id;

describe('Space and Enter', () => {
  it('work the control that has the focus, and play where none has', () => {
    for (const key of [' ', 'Enter']) press('act', key);
    press('text', ' ');
    expect(played).toBe(0);
    press('plain', ' ');
    expect(played).toBe(1);
  });

  it('play after a mouse has clicked, but not after a key has', () => {
    const act = document.getElementById('act')!;
    act.focus();
    act.dispatchEvent(new MouseEvent('click', { detail: 0, bubbles: true }));
    expect(focused()).toBe('act');
    act.dispatchEvent(new MouseEvent('click', { detail: 1, bubbles: true }));
    expect(focused()).not.toBe('act');
  });

  it('leave the focus in what is typed into', () => {
    const text = document.getElementById('text')!;
    text.focus();
    text.dispatchEvent(new MouseEvent('click', { detail: 1, bubbles: true }));
    expect(focused()).toBe('text');
  });
});
