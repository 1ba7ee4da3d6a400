import { client } from '../api/client';
import { newId } from '../api/session';
import type { BenchProps } from '../shell/bench';
import type { Stroke, To } from './useSort';

const NEAR_S = 0.004; // a mark speaks of the stroke that is nearer than this

/** Times by part, in the order the parts come. */
function byPart(strokes: Stroke[]): Map<string, number[]> {
  const out = new Map<string, number[]>();
  for (const { part_id, found_s } of strokes) out.set(part_id, [...(out.get(part_id) ?? []), found_s]);
  return out;
}

/** What a hand says of strokes, each one edit. */
export function useCorrections(
  { doing, document }: Pick<BenchProps, 'doing' | 'document'>,
  headId: string | null,
) {
  return {
    give: (strokes: Stroke[], to: To) =>
      doing.revised((revision) =>
        client.POST('/api/sessions/{session_id}/sort/{part_id}/give', {
          params: { path: { session_id: doing.id, part_id: headId! } },
          body: { revision, strokes, to },
        }),
      ),
    mark: async (strokes: Stroke[], kind: 'keep' | 'drop') => {
      let done = strokes.length > 0;
      for (const [part_id, times] of byPart(strokes)) {
        const marks = Object.fromEntries(times.map((time_s) => [newId(), { kind, time_s }]));
        done = (await doing.act({ kind: 'mark', part_id, marks })) && done;
      }
      return done;
    },
    takeBack: ({ part_id, found_s }: Stroke) => {
      const ids = Object.entries(document.parts?.[part_id]?.marks ?? {}).flatMap(([id, of]) =>
        Math.abs(of.time_s - found_s) < NEAR_S ? [id] : [],
      );
      return ids.length ? doing.act({ kind: 'unmark', part_id, mark_ids: ids }) : Promise.resolve(false);
    },
    throwAway: (partId: string, muted: boolean) => doing.act({ kind: 'set_muted', part_id: partId, muted }),
    divide: (partId: string, strokes: Stroke[], named: string | null) => {
      const times = strokes.flatMap((stroke) => (stroke.part_id === partId ? [stroke.found_s] : []));
      return times.length ? doing.divide(partId, times, named) : Promise.resolve(null);
    },
    asOne: () => (headId ? doing.act({ kind: 'as_one', part_id: headId }) : Promise.resolve(false)),
  };
}
