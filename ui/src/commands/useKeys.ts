import { useEffect, useLayoutEffect, useRef } from 'react';
import { pressed } from './known';

export type Keys = Record<string, (event: KeyboardEvent) => void>;

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    target instanceof HTMLTextAreaElement ||
    target instanceof HTMLSelectElement ||
    (target instanceof HTMLInputElement &&
      !['range', 'checkbox', 'radio', 'file', 'button'].includes(target.type)));

const isControl = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  target.closest('button, a[href], summary, input, [role="option"], [role="tab"]') !== null;

/** What a mouse has clicked is let go of, so that Space plays again; the next Tab goes on from there. */
function letGo(event: MouseEvent): void {
  const focused = document.activeElement;
  if (event.detail === 0 || !(event.target instanceof Element) || !(focused instanceof HTMLElement)) return;
  // A menu that a mouse has opened is gone through by keys from there.
  if (focused.closest('.act-menu')) return;
  const typed = focused instanceof HTMLInputElement && !['radio', 'checkbox', 'file'].includes(focused.type);
  if (typed || !isControl(focused)) return;
  const label = focused instanceof HTMLInputElement ? focused.labels?.[0] : null;
  if (focused.contains(event.target) || label?.contains(event.target)) focused.blur();
}

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
  // What a list or a field has taken for itself does nothing else.
  if (typing(event.target) || event.defaultPrevented) return;
  if (
    event.target instanceof HTMLInputElement &&
    event.target.type === 'range' &&
    event.key.startsWith('Arrow')
  )
    return;
  // A control that has the focus is worked by Space and Enter, and nothing else is.
  if ((event.key === 'Enter' || event.key === ' ') && !event.ctrlKey && isControl(event.target)) return;
  const name = keyName(event);
  for (const keys of [...stack].reverse()) {
    const work = keys.current[name];
    if (work) {
      event.preventDefault();
      work(event);
      pressed(name);
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
    if (!stack.length) {
      window.addEventListener('keydown', listen);
      window.addEventListener('click', letGo);
    }
    stack.push(latest);
    return () => {
      stack.splice(stack.indexOf(latest), 1);
      if (stack.length) return;
      window.removeEventListener('keydown', listen);
      window.removeEventListener('click', letGo);
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
