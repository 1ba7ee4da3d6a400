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
  /** The octave that note 60 is called by. */
  middleC: number;
  /** Where notes are sent while they are due: a MIDI port or the sound module. */
  sendingTo: string | null;
  /** Whether notes are shown and heard as played, before anything was shaped. */
  before: boolean;
  /** Whether recording, layers and both are heard at one loudness. */
  matched: boolean;
  /** Whether what is only played along to is silent. */
  drumsOnly: boolean;
  /** Whether the session is heard as it was before the last change, while a key is held. */
  back: boolean;
  /** A sound that is tried in place of a layer, until it is taken or left. */
  tried: { partId: string; layerId: string | null; kit: string; instrument: string } | null;
  selectedS: number | null;
  /** Candidates chosen together, by their time; keep, drop and give work on all of them. */
  chosenS: number[];
  /** Whether ticks sound on the hits, and whether the recording is heard as the detector hears it. */
  trigger: boolean;
  detector: boolean;
  /** The one microphone that is listened to, whatever else is chosen. */
  listenPart: string | null;
  /** Counts up when something asks for playing from the line. */
  playAsked: number;
  /** Whether the threshold line is being drawn as a curve. */
  drawing: boolean;
  looking: Looking | null;
  pointerS: number | null;
  draft: { partId: string; find: FindSettings; decisions: Decisions | null } | null;
  uploads: Record<string, number>;
  notices: Notice[];
  set: (changes: Partial<Omit<WindowState, 'set' | 'notify' | 'dismiss'>>) => void;
  notify: (text: string, calm?: boolean) => void;
  dismiss: (id: number) => void;
}

/** Second look under way: over which parts, how many there were, what was skipped, and where it stands. */
export interface Looking {
  allParts: boolean;
  most: number;
  skipped: string[];
  at: string | null;
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
  middleC: Number(localStorage.getItem('nubrak-middle-c')) || 3,
  before: false,
  sendingTo: null,
  matched: false,
  drumsOnly: false,
  back: false,
  tried: null,
  selectedS: null,
  chosenS: [],
  trigger: false,
  detector: false,
  listenPart: null,
  playAsked: 0,
  drawing: false,
  looking: null,
  pointerS: null,
  draft: null,
  uploads: {},
  notices: [],
  set: (changes) => set(changes),
  notify: (text, calm = false) =>
    set((old) =>
      // What is said already is not said once more, such as at every step of a drag.
      old.notices.some((one) => one.text === text)
        ? old
        : { notices: [...old.notices.slice(-2), { id: ++notices, text, calm }] },
    ),
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

interface Pointing {
  view: View;
  pointerS: number | null;
  selectedS: number | null;
  chosenS: readonly number[];
  playheadS: number;
}

/** What the keyboard zooms to: what is pointed at or chosen, else the play line, else the middle; only what is in view. */
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
