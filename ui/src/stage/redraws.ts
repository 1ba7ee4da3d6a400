import { useWindow } from '../state/window';
import { onTile } from './tiles';

/** Ask for drawing anew when the play line moves. */
export const onLine = (redraw: () => void) =>
  useWindow.subscribe((now, old) => now.playheadS !== old.playheadS && redraw());

/** Ask for drawing anew when the play line moves, or when more of a waveform has come. */
export const onLineOrTile = (redraw: () => void) => {
  const stops = [onTile(redraw), onLine(redraw)];
  return () => stops.forEach((stop) => stop());
};
