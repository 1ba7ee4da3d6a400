import type { Document, Schema } from '../api/client';
import type { Stage } from './chain';

export type PartsBus = Schema['PartsBus'];

/** Who goes through the stages that are looked at: a part, the layers of a part, or a bus. */
export interface Target {
  partId: string | null;
  layers: boolean;
  busId: string | null;
}

export const partTarget = (partId: string | null): Target => ({ partId, layers: false, busId: null });

/** As the server names it. */
export const asked = (target: Target) => ({
  part_id: target.busId ? null : target.partId,
  layers: !target.busId && target.layers,
  bus_id: target.busId,
});

export const keyOf = (target: Target): string =>
  target.busId ? `bus ${target.busId}` : `${target.layers ? 'layers' : 'part'} ${target.partId}`;

export function chainOf(document: Document, target: Target): Stage[] {
  if (target.busId) return (document.buses?.[target.busId]?.chain ?? []) as Stage[];
  const part = target.partId ? document.parts?.[target.partId] : undefined;
  return ((target.layers ? part?.layers_chain : part?.chain) ?? []) as Stage[];
}

export const orderedBuses = (document: Document): [string, PartsBus][] =>
  Object.entries(document.buses ?? {}).sort(
    ([a, one], [b, other]) => (one.place ?? 0) - (other.place ?? 0) || a.localeCompare(b),
  );

export const BUS_KINDS: [NonNullable<PartsBus['kind']>, string, string][] = [
  ['group', 'A group', 'its parts go through it together instead of straight to the sum'],
  ['parallel', 'A parallel', 'its parts go there as well, and it is added beside them'],
  ['room', 'A room', 'its parts sound in a room that the recording never had'],
];
const NAMES = { group: 'Drums', parallel: 'Beside', room: 'Room' } as const;

/** A new bus with a name that no other has. */
export function newBus(document: Document, kind: NonNullable<PartsBus['kind']>, parts: string[]): PartsBus {
  const taken = new Set(orderedBuses(document).map(([, one]) => one.name));
  let name: string = NAMES[kind];
  for (let number = 2; taken.has(name); number += 1) name = `${NAMES[kind]} ${number}`;
  const amount = kind === 'room' ? -12 : kind === 'parallel' ? -6 : 0;
  return { name, kind, parts: Object.fromEntries(parts.map((one) => [one, amount])) } as PartsBus;
}
