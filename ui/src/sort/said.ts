import type { Piece } from '../api/client';
import { clock } from '../stage/axes';
import { saidHz, saidS } from './mapLayout';
import type { SortMap } from './useSort';

const percent = (share: number) => `${Math.round(100 * share)} %`;
const WORTH_SAYING = 0.05;

/** What a stroke is, how surely, and how it sounds. */
export function strokeSaid(map: SortMap, index: number, pieces: Map<string, Piece>): string {
  const part = map.parts[map.part[index]!]!;
  const name = map.groups[map.group[index]!]!.name;
  const byHand = map.by_hand[index]!;
  const other = map.other[index] === part.piece ? undefined : pieces.get(map.other[index]!);
  const share = map.other_sure[index]!;
  const sure = byHand ? `${name}, said by hand` : `${name} with ${percent(map.sure[index]!)}`;
  const doubt =
    !byHand && other && share >= WORTH_SAYING
      ? `, else ${other.name.toLowerCase()} with ${percent(share)}`
      : '';
  const sounds = `${saidHz(map.brightness_hz[index]!)} at its middle, rings ${saidS(map.ring_s[index]!)}`;
  const together = map.alone[index] ? '' : ' Struck together with another piece.';
  return `${sure}${doubt}. ${clock(map.time_s[index]!, 2)}, ${sounds}.${together}`;
}

/** What a sound is like on the whole. */
export function groupSaid(map: SortMap, group: number): string {
  const { hits, brightness_hz, ring_s } = map.groups[group]!;
  const strokes = `${hits} ${hits === 1 ? 'stroke' : 'strokes'}`;
  return `${strokes}, ${saidHz(brightness_hz)} at the middle, ${hits === 1 ? 'rings' : 'ring'} ${saidS(ring_s)}.`;
}
