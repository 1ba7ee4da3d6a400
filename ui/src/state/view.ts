/** The stretch of the time line that is shown large. */
export interface View {
  startS: number;
  spanS: number;
}

/** Where the window looks: at which stretch, what the pointer stands over, what is drawn on it. */
export interface ViewSlice {
  view: View;
  pointerS: number | null;
  grid: boolean;
  night: boolean;
  keysShown: boolean;
  /** The octave that note 60 is called by. */
  middleC: number;
}

export const viewAtFirst = (): ViewSlice => ({
  view: { startS: 0, spanS: 12 },
  pointerS: null,
  grid: true,
  night: localStorage.getItem('nubrak-night') === 'yes',
  keysShown: false,
  middleC: Number(localStorage.getItem('nubrak-middle-c')) || 3,
});

const SHORTEST_VIEW_S = 0.004;

/** A view that stays on the time line and between one cycle and the whole. */
export function fitView(view: View, lengthS: number): View {
  const spanS = Math.min(Math.max(view.spanS, SHORTEST_VIEW_S), Math.max(lengthS, 1));
  return { spanS, startS: Math.min(Math.max(view.startS, 0), Math.max(lengthS - spanS, 0)) };
}

/** Zoom by a factor about one moment, which keeps its place on screen. */
export function zoomView(view: View, factor: number, aboutS: number, lengthS: number): View {
  const spanS = Math.min(Math.max(view.spanS * factor, SHORTEST_VIEW_S), Math.max(lengthS, 1));
  const share = (aboutS - view.startS) / view.spanS;
  return fitView({ spanS, startS: aboutS - share * spanS }, lengthS);
}

interface Pointing {
  view: View;
  pointerS: number | null;
  selectedS: number | null;
  chosenS: readonly number[];
  playheadS: number;
}

/**
 * What the keyboard zooms to: what is pointed at or chosen, else the play line, else the middle; only what is
 * in view.
 */
export function zoomAbout({ view, pointerS, selectedS, chosenS, playheadS }: Pointing): number {
  const inView = (momentS: number | null | undefined): momentS is number =>
    typeof momentS === 'number' && momentS >= view.startS && momentS <= view.startS + view.spanS;
  return [pointerS, selectedS, chosenS.find(inView), playheadS].find(inView) ?? view.startS + view.spanS / 2;
}

/** The view moved just as far as needed to show a moment comfortably. */
export function viewShowing(view: View, momentS: number, lengthS: number): View {
  const edge = view.spanS * 0.08;
  if (momentS >= view.startS + edge && momentS <= view.startS + view.spanS - edge) return view;
  return fitView({ ...view, startS: momentS - view.spanS * 0.3 }, lengthS);
}

/** The view with the first of some moments in it, where none of them is in it. */
export function viewOnFirst(view: View, timesS: readonly number[], lengthS: number): View {
  const inView = timesS.some((timeS) => timeS >= view.startS && timeS <= view.startS + view.spanS);
  if (inView || !timesS.length) return view;
  return fitView({ ...view, startS: timesS[0]! - view.spanS * 0.1 }, lengthS);
}
