import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, take, type Document, type Part, type Schema } from '../api/client';
import { held, limitOf } from '../api/limit';
import type { Doing } from '../api/session';
import { useWindow } from '../state/window';
import type { GapPut, Gaps } from '../stage/gaps';

type Cleaning = Schema['Cleaning'];
type GapMark = Schema['GapMark'];

const SAME_S = 0.008;
const newId = () => `gap-${crypto.randomUUID().slice(0, 12)}`;
const round = (value: number) => Math.round(value * 1e5) / 1e5;

/** The gaps of a part's recording: how they lie, and what a hand does to them. */
export function useGaps(
  doing: Doing,
  document: Document,
  revision: number,
  part: Part | null,
  ready: boolean,
  open: boolean,
) {
  const sourceId = part?.sources[0] ?? null;
  const source = sourceId ? document.sources?.[sourceId] : undefined;
  const kept = source?.cleaning ?? null;
  // A setting that is being moved is drawn before it is let go.
  const [draft, setDraft] = useState<{ of: string; cleaning: Cleaning } | null>(null);
  const cleaning = (draft && draft.of === sourceId ? draft.cleaning : kept) as Required<Cleaning> | null;
  const asked = useQuery({
    queryKey: ['gaps', doing.id, sourceId, revision, draft?.of === sourceId ? draft?.cleaning : null],
    queryFn: () =>
      take(
        client.POST('/api/sessions/{session_id}/sources/{source_id}/gaps', {
          params: { path: { session_id: doing.id, source_id: sourceId! } },
          body: { cleaning: draft?.of === sourceId ? draft!.cleaning : null },
        }),
      ).then((gaps) => ({ gaps, of: sourceId })),
    enabled: sourceId !== null && ready && Boolean(cleaning?.on || open),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const told = asked.data?.of === sourceId ? asked.data.gaps : null;
  const shown = cleaning?.on ? told : null;
  const sources = part?.sources ?? [];

  const act = async (changes: Partial<Cleaning>, sourceIds: string[] = sources) => {
    if (!sourceIds.length) return;
    await doing.act({
      kind: 'set_cleaning',
      source_ids: sourceIds,
      changes: changes as Record<string, number | boolean>,
    });
    setDraft(null);
  };
  const mark = async (foundS: number, change: Partial<GapMark>) =>
    doing.act({
      kind: 'mark_gaps',
      source_ids: sources,
      marks: { [newId()]: { time_s: foundS, ...change } },
      remove: [],
    });
  const say = (words: string) => useWindow.getState().notify(words, true);
  /** The gap behind a stroke, or a word about why there is none. */
  const behind = (foundS: number | null): number | null => {
    if (!shown) say('Turn the gaps down first: Alt+C.');
    else if (foundS === null) say('Choose the stroke before the gap first: step to it, or click on it.');
    else {
      const row = shown.last_found_s.findIndex((one) => Math.abs(one - foundS) < SAME_S);
      if (row >= 0) return row;
      say('No gap follows this stroke: the next one comes while it still rings.');
    }
    return null;
  };

  return {
    cleaning,
    shown,
    told,
    /** Settings on their way, and let go. */
    move: (changes: Partial<Cleaning>) =>
      sourceId && kept && setDraft({ of: sourceId, cleaning: { ...kept, ...draft?.cleaning, ...changes } }),
    done: act,
    turn: (on: boolean, sourceIds?: string[]) => act({ on }, sourceIds),
    /** A corner that was dragged. */
    put: async ({ gap, edge, timeS, downDb }: GapPut): Promise<boolean> => {
      if (!shown) return false;
      const row = edge === 'opens' ? gap : gap - 1;
      const foundS = edge === 'opens' ? shown.first_found_s[row] : shown.last_found_s[row];
      const attackS = edge === 'opens' ? shown.first_s[row] : shown.last_s[row];
      if (foundS === undefined || attackS === undefined) return false;
      if (edge === 'down') return Boolean(await mark(foundS, { down_db: downDb }));
      if (edge === 'closes')
        return Boolean(await mark(foundS, { closes_s: round(Math.max(timeS - attackS, 0)) }));
      return Boolean(await mark(foundS, { opens_s: round(Math.min(Math.max(attackS - timeS, 0), 5)) }));
    },
    moveEnd: (foundS: number | null, byS: number) => {
      const row = behind(foundS);
      if (row === null || !shown) return;
      const closesS = Math.max(shown.closes_s[row]! - shown.last_s[row]! + byS, 0);
      void mark(shown.last_found_s[row]!, { closes_s: round(closesS) });
    },
    moveBegin: (foundS: number | null, byS: number) => {
      if (!shown || foundS === null) return void behind(foundS);
      const row = shown.first_found_s.findIndex((one) => Math.abs(one - foundS) < SAME_S);
      if (row < 0) return say('No gap ends at this stroke.');
      const opensS = Math.min(Math.max(shown.first_s[row]! - shown.opens_s[row]! + byS, 0), 5);
      void mark(shown.first_found_s[row]!, { opens_s: round(opensS) });
    },
    deeper: (foundS: number | null, byDb: number) => {
      const row = behind(foundS);
      if (row === null || !shown) return;
      const downDb = held(Math.round(shown.down_db[row + 1]! + byDb), limitOf('GapMark', 'down_db'));
      void mark(shown.last_found_s[row]!, { down_db: downDb });
    },
    asTold: (foundS: number | null) => {
      if (foundS === null) return say('Choose the stroke before the gap first.');
      void doing.act({ kind: 'mark_gaps', source_ids: sources, marks: {}, remove: [foundS] });
    },
    allAsTold: (marks: Gaps['marks']) =>
      void doing.act({
        kind: 'mark_gaps',
        source_ids: sources,
        marks: {},
        remove: Object.values(marks).map((one) => one.time_s),
      }),
  };
}

export type GapWork = ReturnType<typeof useGaps>;
