/** What is chosen: the part, hits on it, and the way through the doubtful ones. */
export interface ChoiceSlice {
  partId: string | null;
  selectedS: number | null;
  /** Candidates chosen together, by their time; keep, drop and give work on all of them. */
  chosenS: number[];
  looking: Looking | null;
}

/** Second look under way: over which parts, how many there were, what was skipped, and where it stands. */
export interface Looking {
  allParts: boolean;
  most: number;
  skipped: string[];
  at: string | null;
}

export const choiceAtFirst = (): ChoiceSlice => ({
  partId: null,
  selectedS: null,
  chosenS: [],
  looking: null,
});
