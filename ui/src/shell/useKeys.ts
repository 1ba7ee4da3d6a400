import { useEffect, useRef } from 'react';

export type Keys = Record<string, (event: KeyboardEvent) => void>;

const typing = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    target instanceof HTMLTextAreaElement ||
    target instanceof HTMLSelectElement ||
    (target instanceof HTMLInputElement && !['range', 'checkbox', 'radio', 'file', 'button'].includes(target.type)));

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
  if (event.target instanceof HTMLInputElement && event.target.type === 'range' && event.key.startsWith('Arrow'))
    return;
  if (event.key === 'Enter' && event.target instanceof HTMLButtonElement) return;
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
  useEffect(() => {
    latest.current = keys;
  });
  useEffect(() => {
    if (!stack.length) window.addEventListener('keydown', listen);
    stack.push(latest);
    return () => {
      stack.splice(stack.indexOf(latest), 1);
      if (!stack.length) window.removeEventListener('keydown', listen);
    };
  }, []);
}
