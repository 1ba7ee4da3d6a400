import { useEffect, useRef } from 'react';
import './stage.scss';

export type Draw = (context: CanvasRenderingContext2D, width: number, height: number) => void;

interface Props {
  draw: Draw;
  /** Subscribe to what else asks for drawing anew; returns how to stop. Must not change. */
  on?: (redraw: () => void) => () => void;
  label?: string;
  className?: string;
}

/**
 * A canvas that fills its box at the screen's own resolution and is drawn at most once a frame: when `draw`
 * changes, when its box changes, or when `on` says so.
 */
export function Canvas({ draw, on, label, className }: Props) {
  const ref = useRef<HTMLCanvasElement | null>(null);
  const latest = useRef(draw);
  const redraw = useRef<() => void>(() => undefined);
  useEffect(() => {
    let frame = 0;
    const paint = () => {
      frame = 0;
      const canvas = ref.current;
      const context = canvas?.getContext('2d');
      if (!canvas || !context) return;
      const { clientWidth, clientHeight } = canvas;
      const scale = window.devicePixelRatio || 1;
      const [width, height] = [Math.round(clientWidth * scale), Math.round(clientHeight * scale)];
      if (canvas.width !== width || canvas.height !== height) [canvas.width, canvas.height] = [width, height];
      context.setTransform(scale, 0, 0, scale, 0, 0);
      context.clearRect(0, 0, clientWidth, clientHeight);
      latest.current(context, clientWidth, clientHeight);
    };
    redraw.current = () => {
      frame ||= requestAnimationFrame(paint);
    };
    const again = () => redraw.current();
    const observer = new ResizeObserver(again);
    if (ref.current) observer.observe(ref.current);
    void document.fonts?.ready.then(again);
    const stop = on?.(again);
    return () => {
      observer.disconnect();
      stop?.();
      cancelAnimationFrame(frame);
    };
  }, [on]);
  useEffect(() => {
    latest.current = draw;
    redraw.current();
  }, [draw]);
  return (
    <canvas
      ref={ref}
      className={className}
      role={label ? 'img' : undefined}
      aria-label={label}
      aria-hidden={label ? undefined : true}
    />
  );
}
