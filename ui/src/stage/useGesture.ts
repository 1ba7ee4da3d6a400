import { useRef, type PointerEvent as ReactPointerEvent } from 'react';
import { useEscape } from './useEscape';

/** What a pointer does on an element, in pixels from its corner; `cancel`: the drag is given up. */
export interface Input {
  kind: 'down' | 'move' | 'up' | 'leave' | 'cancel';
  x: number;
  y: number;
  width: number;
  height: number;
  alt: boolean;
  shift: boolean;
}

const NOT_POINTED = { x: 0, y: 0, alt: false, shift: false };

/**
 * Gives a pointer's doings on an element to a gesture: `happen` takes the state it is in and what the pointer
 * does, and gives the next state. `idle` is the state in which nothing is dragged. Only the main button
 * drags; the pointer is held while it does; Escape, or the pointer being taken away, gives the drag up.
 */
export function useGesture<State>(idle: State, happen: (state: State, input: Input) => State) {
  const state = useRef(idle);
  const element = useRef<HTMLElement | null>(null);
  const giveUp = () => {
    const held = state.current !== idle && element.current !== null;
    if (held) {
      const { width, height } = element.current!.getBoundingClientRect();
      state.current = happen(state.current, { kind: 'cancel', ...NOT_POINTED, width, height });
    }
    return held;
  };
  useEscape(giveUp);
  const pointer = (kind: 'down' | 'move' | 'up' | 'leave', event: ReactPointerEvent<HTMLElement>) => {
    if (kind === 'down') {
      if (event.button !== 0) return;
      element.current = event.currentTarget;
      event.currentTarget.setPointerCapture(event.pointerId);
    }
    const { left, top, width, height } = event.currentTarget.getBoundingClientRect();
    const at = { x: event.clientX - left, y: event.clientY - top, width, height };
    state.current = happen(state.current, { kind, ...at, alt: event.altKey, shift: event.shiftKey });
  };
  return {
    onPointerDown: (event: ReactPointerEvent<HTMLElement>) => pointer('down', event),
    onPointerMove: (event: ReactPointerEvent<HTMLElement>) => pointer('move', event),
    onPointerUp: (event: ReactPointerEvent<HTMLElement>) => pointer('up', event),
    onPointerLeave: (event: ReactPointerEvent<HTMLElement>) => pointer('leave', event),
    onPointerCancel: giveUp,
  };
}
