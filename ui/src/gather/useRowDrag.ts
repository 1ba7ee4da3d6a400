import { useState, type PointerEvent } from 'react';
import { useEscape } from '../stage/useEscape';
import { placeAt, type Row } from './rowDrag';

const TAP_PX = 6;

interface Held {
  partId: string;
  y: number;
  to: number | null;
  moved: boolean;
}

/** The rows of a list as they lie, by the part that each names. */
const rowsOf = (list: Element | null): Row[] =>
  [...(list?.querySelectorAll<HTMLElement>('[data-part]') ?? [])].map((element) => {
    const { top, bottom } = element.getBoundingClientRect();
    return { partId: element.dataset.part!, top, bottom };
  });

/** Rows that are put at another place by dragging what they begin with; Escape gives it up. */
export function useRowDrag(order: readonly string[], onMove: (partId: string, to: number) => void) {
  const [held, setHeld] = useState<Held | null>(null);
  useEscape(() => {
    setHeld(null);
    return held?.moved ?? false;
  });
  const grip = (partId: string) => ({
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      if (event.button !== 0) return;
      event.currentTarget.setPointerCapture(event.pointerId);
      setHeld({ partId, y: event.clientY, to: null, moved: false });
    },
    onPointerMove: (event: PointerEvent<HTMLElement>) => {
      if (!held || (!held.moved && Math.abs(event.clientY - held.y) < TAP_PX)) return;
      const to = placeAt(rowsOf(event.currentTarget.closest('section')), order, partId, event.clientY);
      setHeld({ ...held, to, moved: true });
    },
    onPointerUp: () => {
      if (held?.moved && held.to !== null) onMove(partId, held.to);
      setHeld(null);
    },
    onPointerCancel: () => setHeld(null),
  });
  /** What a row is to show: that it is held, or that what is held comes before it, or behind it as the last. */
  const sign = (partId: string): string => {
    if (!held?.moved) return '';
    if (partId === held.partId) return 'held-row';
    const others = order.filter((one) => one !== held.partId);
    if (held.to === null) return '';
    if (others[held.to] === partId) return 'before-here';
    return held.to === others.length && others[others.length - 1] === partId ? 'behind-here' : '';
  };
  return { grip, sign };
}
