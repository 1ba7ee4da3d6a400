// @vitest-environment jsdom
import { act } from 'react';
import { afterEach, describe, expect, it } from 'vitest';
import { show } from '../api/hook.fixture';
import { useGesture, type Input } from './useGesture';

interface Drag {
  from: number;
}

let said: Input[] = [];

/** An element on which a drag begins with every press. */
function Held() {
  const handlers = useGesture<Drag | null>(null, (drag, input) => {
    said.push(input);
    if (input.kind === 'down') return { from: input.x };
    return input.kind === 'up' || input.kind === 'cancel' ? null : drag;
  });
  return <div data-testid="held" {...handlers} />;
}

const shown = () => {
  const one = show(<Held />);
  const element = one.page.querySelector<HTMLDivElement>('[data-testid=held]')!;
  const captured: number[] = [];
  element.setPointerCapture = (id) => void captured.push(id);
  element.getBoundingClientRect = () => ({ left: 10, top: 20, width: 300, height: 200 }) as DOMRect;
  const point = (kind: string, x: number, more: MouseEventInit = {}) => {
    const event = new MouseEvent(`pointer${kind}`, { clientX: x, clientY: 50, bubbles: true, ...more });
    act(() => void element.dispatchEvent(Object.assign(event, { pointerId: 7 })));
  };
  return { ...one, point, captured };
};
const escape = () => {
  const event = new KeyboardEvent('keydown', { key: 'Escape', cancelable: true });
  act(() => void window.dispatchEvent(event));
  return event.defaultPrevented;
};

afterEach(() => {
  said = [];
});

describe('a gesture', () => {
  it('is told where the pointer is, from the corner of the element, and with which keys', () => {
    const { point, captured, away } = shown();
    point('down', 40, { altKey: true });
    point('move', 60, { shiftKey: true });
    point('up', 60);
    expect(said.map(({ kind, x, y }) => [kind, x, y])).toEqual([
      ['down', 30, 30],
      ['move', 50, 30],
      ['up', 50, 30],
    ]);
    expect(said.map(({ alt, shift }) => [alt, shift])).toEqual([
      [true, false],
      [false, true],
      [false, false],
    ]);
    expect(said[0]).toMatchObject({ width: 300, height: 200 });
    expect(captured).toEqual([7]);
    away();
  });

  it('begins with the main button only', () => {
    const { point, captured, away } = shown();
    point('down', 40, { button: 2 });
    expect(said).toEqual([]);
    expect(captured).toEqual([]);
    away();
  });

  it('is given up by Escape while something is dragged, and leaves Escape alone else', () => {
    const { point, away } = shown();
    expect(escape()).toBe(false);
    point('down', 40);
    point('move', 60);
    expect(escape()).toBe(true);
    expect(said.at(-1)).toMatchObject({ kind: 'cancel', width: 300 });
    expect(escape()).toBe(false);
    away();
    expect(escape()).toBe(false);
  });

  it('is given up when the pointer is taken away', () => {
    const { point, away } = shown();
    point('down', 40);
    point('cancel', 40);
    expect(said.map(({ kind }) => kind)).toEqual(['down', 'cancel']);
    away();
  });
});
