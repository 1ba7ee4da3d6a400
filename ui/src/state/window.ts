import { create } from 'zustand';
import type { Decisions, FindSettings } from '../api/client';

export type Hearing = 'recording' | 'layers' | 'both';

/** The stretch of the time line that is shown large. */
export interface View {
  startS: number;
  spanS: number;
}

export interface Notice {
  id: number;
  text: string;
  calm: boolean;
}

/** What one window shows and hears. Nothing of it is kept by the server, and none of it decides anything. */
interface WindowState {
  partId: string | null;
  view: View;
  playheadS: number;
  playing: boolean;
  hearing: Hearing;
  alone: boolean;
  loop: { startS: number; endS: number } | null;
  looping: boolean;
  grid: boolean;
  night: boolean;
  keysShown: boolean;
  selectedS: number | null;
  pointerS: number | null;
  draft: { partId: string; find: FindSettings; decisions: Decisions | null } | null;
  uploads: Record<string, number>;
  notices: Notice[];
  set: (changes: Partial<Omit<WindowState, 'set' | 'notify' | 'dismiss'>>) => void;
  notify: (text: string, calm?: boolean) => void;
  dismiss: (id: number) => void;
}

let notices = 0;

export const useWindow = create<WindowState>((set) => ({
  partId: null,
  view: { startS: 0, spanS: 12 },
  playheadS: 0,
  playing: false,
  hearing: 'both',
  alone: false,
  loop: null,
  looping: false,
  grid: true,
  night: localStorage.getItem('nubrak-night') === 'yes',
  keysShown: false,
  selectedS: null,
  pointerS: null,
  draft: null,
  uploads: {},
  notices: [],
  set: (changes) => set(changes),
  notify: (text, calm = false) =>
    set((old) => ({ notices: [...old.notices.slice(-2), { id: ++notices, text, calm }] })),
  dismiss: (id) => set((old) => ({ notices: old.notices.filter((notice) => notice.id !== id) })),
}));

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

/** The view moved just as far as needed to show a moment comfortably. */
export function viewShowing(view: View, momentS: number, lengthS: number): View {
  const edge = view.spanS * 0.08;
  if (momentS >= view.startS + edge && momentS <= view.startS + view.spanS - edge) return view;
  return fitView({ ...view, startS: momentS - view.spanS * 0.3 }, lengthS);
}
