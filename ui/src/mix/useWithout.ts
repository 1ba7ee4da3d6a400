import { useEffect } from 'react';
import type { Schema } from '../api/client';
import { useWindow } from '../state/window';
import { nameOf, type Stage } from './chain';
import { asked, type Target } from './target';

/** Hearing without a stage, or without any, as loud as with it. Nothing of the session changes. */
export function useWithout(
  target: Target,
  chain: readonly Stage[],
  at: number,
  seen: Schema['StagesSeen'] | null,
) {
  const without = useWindow((state) => state.without);
  const set = useWindow((state) => state.set);
  const here = asked(target);
  const ours =
    without !== null &&
    without.part_id === here.part_id &&
    without.layers === here.layers &&
    without.bus_id === here.bus_id;
  const which = !ours || !chain.length ? null : without.stage === null ? 'all' : 'one';
  const go = (stage: number | null, trimDb: number) => set({ without: { ...here, stage, trim_db: trimDb } });
  // The bench is left, and everything is heard again.
  useEffect(() => () => useWindow.getState().set({ without: null, busAlone: null }), []);
  const stage = ours && without.stage !== null ? chain[without.stage] : undefined;
  return {
    which,
    said:
      which === 'all'
        ? 'without any stage'
        : which === 'one' && stage
          ? `without ${nameOf(stage.kind!).toLowerCase()}`
          : null,
    end: () => set({ without: null }),
    all: () => {
      if (!chain.length) return;
      if (which === 'all') set({ without: null });
      else go(null, seen?.without_all_db ?? 0);
    },
    one: () => {
      if (at < 0) return;
      if (which === 'one' && without?.stage === at) set({ without: null });
      else go(at, seen?.without_stage_db ?? 0);
    },
  } as const;
}
