import type { Decisions, FindSettings } from '../api/client';

/** What is tried or under way and not yet kept by the server. */
export interface DraftSlice {
  /** Settings of Find on their way, and what they would decide. */
  draft: { partId: string; find: FindSettings; decisions: Decisions | null } | null;
  /** A sound that is tried in place of a layer, until it is taken or left. */
  tried: { partId: string; layerId: string | null; kit: string; instrument: string } | null;
  /** Whether the threshold line is being drawn as a curve. */
  drawing: boolean;
  /** Files on their way up: name → share that is there. */
  uploads: Record<string, number>;
}

export const draftAtFirst = (): DraftSlice => ({ draft: null, tried: null, drawing: false, uploads: {} });
