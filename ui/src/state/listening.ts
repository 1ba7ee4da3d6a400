export type Hearing = 'recording' | 'layers' | 'both';

/** A stage, or all, of a part, of its layers or of a bus, as the server takes it. */
export interface Without {
  part_id: string | null;
  layers: boolean;
  bus_id: string | null;
  stage: number | null;
  trim_db: number;
}

/** What is heard, and where it is. */
export interface ListeningSlice {
  playheadS: number;
  playing: boolean;
  /** Counts up when something asks for playing from the line. */
  playAsked: number;
  loop: { startS: number; endS: number } | null;
  looping: boolean;
  hearing: Hearing;
  alone: boolean;
  /** Whether recording, layers and both are heard at one loudness. */
  matched: boolean;
  /** Whether what is only played along to is silent. */
  drumsOnly: boolean;
  /** Whether notes are shown and heard as played, before anything was shaped. */
  before: boolean;
  /** Whether the session is heard as it was before the last change, while a key is held. */
  back: boolean;
  /** Whether ticks sound on the hits, and whether the recording is heard as the detector hears it. */
  trigger: boolean;
  /** The sound of the library that is heard on the hits instead of ticks. */
  triggerSound: { kit: string; instrument: string } | null;
  detector: boolean;
  /** Whether every beat clicks. */
  click: boolean;
  /** The one microphone that is listened to, whatever else is chosen. */
  listenPart: string | null;
  /** Stages that are not heard, and what makes up for them. */
  without: Without | null;
  /** The bus that is heard by itself. */
  busAlone: string | null;
  /** Where notes are sent while they are due: a MIDI port or the sound module. */
  sendingTo: string | null;
}

export const listeningAtFirst = (): ListeningSlice => ({
  playheadS: 0,
  playing: false,
  playAsked: 0,
  loop: null,
  looping: false,
  hearing: 'both',
  alone: false,
  matched: false,
  drumsOnly: false,
  before: false,
  back: false,
  trigger: false,
  triggerSound: null,
  detector: false,
  click: false,
  listenPart: null,
  without: null,
  busAlone: null,
  sendingTo: null,
});
