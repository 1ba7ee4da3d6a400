import { useEffect, useLayoutEffect, useRef } from 'react';

export type Keys = Record<string, (event: KeyboardEvent) => void>;

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    target instanceof HTMLTextAreaElement ||
    target instanceof HTMLSelectElement ||
    (target instanceof HTMLInputElement &&
      !['range', 'checkbox', 'radio', 'file', 'button'].includes(target.type)));

/** The name of a key press: modifiers and key, such as “Ctrl+Shift+z”, “ArrowLeft”, “?”. */
export function keyName(event: KeyboardEvent): string {
  const letter = event.key.length === 1;
  const parts = [];
  if (event.ctrlKey || event.metaKey) parts.push('Ctrl');
  if (event.altKey) parts.push('Alt');
  if (event.shiftKey && (!letter || /[a-z]/i.test(event.key))) parts.push('Shift');
  parts.push(letter ? event.key.toLowerCase() : event.key);
  return parts.join('+');
}

/** Work by keyboard while this is on screen. Later ones go first; typing into a field is left alone. */
const stack: { current: Keys }[] = [];

function listen(event: KeyboardEvent): void {
  if (typing(event.target)) return;
  if (
    event.target instanceof HTMLInputElement &&
    event.target.type === 'range' &&
    event.key.startsWith('Arrow')
  )
    return;
  if (event.key === 'Enter' && !event.ctrlKey && event.target instanceof HTMLButtonElement) return;
  const name = keyName(event);
  for (const keys of [...stack].reverse()) {
    const work = keys.current[name];
    if (work) {
      event.preventDefault();
      work(event);
      return;
    }
  }
}

export function useKeys(keys: Keys): void {
  const latest = useRef(keys);
  // Before it is painted: what is seen can be pressed.
  useLayoutEffect(() => {
    latest.current = keys;
  });
  useLayoutEffect(() => {
    if (!stack.length) window.addEventListener('keydown', listen);
    stack.push(latest);
    return () => {
      stack.splice(stack.indexOf(latest), 1);
      if (!stack.length) window.removeEventListener('keydown', listen);
    };
  }, []);
}

/** Something that is so while a key is held down, such as hearing what was before. */
export function useHeld(key: string, onHeld: (held: boolean) => void): void {
  const latest = useRef(onHeld);
  useEffect(() => {
    latest.current = onHeld;
  });
  useEffect(() => {
    let held = false;
    const turn = (now: boolean) => {
      if (held !== now) latest.current(now);
      held = now;
    };
    const down = (event: KeyboardEvent) => !typing(event.target) && keyName(event) === key && turn(true);
    const up = (event: KeyboardEvent) => event.key.toLowerCase() === key && turn(false);
    const away = () => turn(false);
    window.addEventListener('keydown', down);
    window.addEventListener('keyup', up);
    window.addEventListener('blur', away);
    return () => {
      turn(false);
      window.removeEventListener('keydown', down);
      window.removeEventListener('keyup', up);
      window.removeEventListener('blur', away);
    };
  }, [key]);
}
