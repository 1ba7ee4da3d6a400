/** Where sounds stand on the map: dark to bright along it, short to long up it, both by octaves. */

export interface MapView {
  /** What is seen of each axis, in octaves of 1 Hz and of 1 s. */
  brightFrom: number;
  brightTo: number;
  longFrom: number;
  longTo: number;
}

export interface MapBox {
  left: number;
  top: number;
  width: number;
  height: number;
}

export const WHOLE: MapView = {
  brightFrom: Math.log2(90),
  brightTo: Math.log2(14000),
  longFrom: Math.log2(0.02),
  longTo: Math.log2(2.4),
};

export const BRIGHT_TICKS_HZ = [100, 200, 500, 1000, 2000, 5000, 10000];
export const LONG_TICKS_S = [0.03, 0.1, 0.3, 1, 2];

/** The whole of what there is, with a margin, and never narrower than three octaves. */
export function fitted(brightHz: readonly number[], ringS: readonly number[]): MapView {
  if (!brightHz.length) return WHOLE;
  const span = (values: readonly number[], least: number): [number, number] => {
    const logs = values.map(Math.log2);
    const low = Math.min(...logs) - 0.6;
    const high = Math.max(...logs) + 0.6;
    const more = Math.max(least - (high - low), 0) / 2;
    return [low - more, high + more];
  };
  const [brightFrom, brightTo] = span(brightHz, 3);
  const [longFrom, longTo] = span(ringS, 3);
  return { brightFrom, brightTo, longFrom, longTo };
}

export const brightX = (hz: number, view: MapView, box: MapBox): number =>
  box.left + ((Math.log2(hz) - view.brightFrom) / (view.brightTo - view.brightFrom)) * box.width;

export const longY = (s: number, view: MapView, box: MapBox): number =>
  box.top + (1 - (Math.log2(s) - view.longFrom) / (view.longTo - view.longFrom)) * box.height;

/** A view nearer to, or farther from, a point of the box. */
export function zoomed(view: MapView, factor: number, x: number, y: number, box: MapBox): MapView {
  const share = (x - box.left) / box.width;
  const rise = 1 - (y - box.top) / box.height;
  const bright = view.brightFrom + share * (view.brightTo - view.brightFrom);
  const long = view.longFrom + rise * (view.longTo - view.longFrom);
  const across = (view.brightTo - view.brightFrom) * factor;
  const up = (view.longTo - view.longFrom) * factor;
  return {
    brightFrom: bright - share * across,
    brightTo: bright + (1 - share) * across,
    longFrom: long - rise * up,
    longTo: long + (1 - rise) * up,
  };
}

export interface Point {
  x: number;
  y: number;
}

/** The nearest of some points within reach of a place, or null. */
export function nearest(points: readonly Point[], x: number, y: number, reach: number): number | null {
  let best: number | null = null;
  let least = reach * reach;
  points.forEach((point, index) => {
    const away = (point.x - x) ** 2 + (point.y - y) ** 2;
    if (away <= least) [best, least] = [index, away];
  });
  return best;
}

/** Whether a place lies inside a closed line: how often a ray from it crosses the line. */
export function inside(line: readonly Point[], x: number, y: number): boolean {
  let is = false;
  for (let i = 0, j = line.length - 1; i < line.length; j = i++) {
    const a = line[i]!;
    const b = line[j]!;
    if (a.y > y !== b.y > y && x < ((b.x - a.x) * (y - a.y)) / (b.y - a.y) + a.x) is = !is;
  }
  return is;
}

export const saidHz = (hz: number): string =>
  hz < 1000 ? `${Math.round(hz)} Hz` : `${(hz / 1000).toFixed(hz < 9950 ? 1 : 0)} kHz`;
export const saidS = (s: number): string => (s < 1 ? `${Math.round(1000 * s)} ms` : `${s.toFixed(1)} s`);
