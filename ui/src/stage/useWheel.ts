import { useEffect, type RefObject } from 'react';
import { useWindow } from '../state/window';
import { fitView, zoomView } from '../state/view';
import { xToTime } from './axes';
import type { Box } from './ground';

/**
 * Wheel over a time axis: zoom about the pointer; with Shift, or sideways: along. `boxOf` says where the axis
 * lies; it must not change.
 */
export function useWheel(
  holder: RefObject<HTMLElement | null>,
  boxOf: (width: number, height: number) => Box,
  lengthS: number,
): void {
  useEffect(() => {
    const element = holder.current;
    if (!element) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const { view: now, set } = useWindow.getState();
      const bounds = element.getBoundingClientRect();
      const box = boxOf(bounds.width, bounds.height);
      const along = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX;
      if (Math.abs(along) > Math.abs(event.shiftKey ? 0 : event.deltaY)) {
        set({ view: fitView({ ...now, startS: now.startS + (along / box.width) * now.spanS }, lengthS) });
      } else {
        const about = xToTime(event.clientX - bounds.left, now, box.left, box.width);
        set({ view: zoomView(now, Math.exp(event.deltaY * 0.0016), about, lengthS) });
      }
    };
    element.addEventListener('wheel', wheel, { passive: false });
    return () => element.removeEventListener('wheel', wheel);
  }, [holder, boxOf, lengthS]);
}
