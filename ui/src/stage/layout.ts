import type { Box } from './ground';

const LEFT = 40;
const RIGHT_WITHOUT_LADDER = 16;
const BETWEEN = 16;
const BELOW = 10;

export const TOP = 22;
export const LADDER = 104;

/** Find shows the hit field with threshold and ladder; other benches show the notes by velocity. */
export type Mode = 'find' | 'notes';

export interface Boxes {
  wave: Box;
  field: Box;
  /** Empty where no ladder is shown. */
  ladder: { left: number; width: number } | null;
}

/** Where waveform, field and ladder lie in a stage of this size, in pixels. */
export function boxesOf(width: number, height: number, mode: Mode): Boxes {
  const right = mode === 'find' ? LADDER + 8 : RIGHT_WITHOUT_LADDER;
  const wave = {
    left: LEFT,
    top: TOP,
    width: width - LEFT - right,
    height: Math.round((height - TOP) * (mode === 'find' ? 0.27 : 0.46)),
  };
  const top = wave.top + wave.height + BETWEEN;
  return {
    wave,
    field: { left: LEFT, top, width: wave.width, height: height - top - BELOW },
    ladder: mode === 'find' ? { left: LEFT + wave.width + 12, width: LADDER - 16 } : null,
  };
}
