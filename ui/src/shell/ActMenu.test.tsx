// @vitest-environment jsdom
import { act } from 'react';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { show } from '../api/hook.fixture';
import { useKeys } from '../commands/useKeys';
import { ActMenu } from './ActMenu';

const CHOICES = [
  { id: 'raise', says: 'Raise' },
  { id: 'scale', says: 'Scale' },
] as const;
let done: string[] = [];
let heard = 0;
let away = () => {};

function Bench() {
  useKeys({ ArrowDown: () => heard++ });
  return <ActMenu says="Add a step" testId="add" choices={CHOICES} onChoose={(id) => done.push(id)} />;
}

beforeEach(() => {
  [done, heard] = [[], 0];
  away = show(<Bench />).away;
});
afterEach(() => away());

const toggle = () => document.querySelector<HTMLElement>('[data-testid="add"]')!;
const item = (says: string) =>
  [...document.querySelectorAll<HTMLElement>('.dropdown-item')].find((one) => one.textContent === says)!;
const press = async (on: Element, key: string) => {
  // What it leads to, such as where the focus goes, follows a moment later.
  await act(async () => {
    on.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
    await new Promise((after) => setTimeout(after, 20));
  });
};
const click = async (on: HTMLElement, times: number) => {
  await act(async () => {
    on.dispatchEvent(new MouseEvent('click', { bubbles: true, detail: times }));
    await new Promise((after) => setTimeout(after, 20));
  });
};

describe('a menu that acts', () => {
  it('does nothing on the way through it, and nothing else hears its keys', async () => {
    toggle().focus();
    await press(toggle(), 'ArrowDown');
    expect(toggle().getAttribute('aria-expanded')).toBe('true');
    await press(document.activeElement!, 'ArrowDown');
    expect([done, heard]).toEqual([[], 0]);
    await click(item('Scale'), 0);
    expect(done).toEqual(['scale']);
    expect(toggle().getAttribute('aria-expanded')).toBe('false');
  });

  it('keeps the focus when a mouse has opened it', async () => {
    toggle().focus();
    await click(toggle(), 1);
    expect(document.activeElement?.closest('.act-menu')).not.toBeNull();
  });

  it('is left by Escape with nothing done', async () => {
    await click(toggle(), 1);
    await press(item('Raise'), 'Escape');
    expect(toggle().getAttribute('aria-expanded')).toBe('false');
    expect(done).toEqual([]);
  });
});
