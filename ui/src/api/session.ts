import {
  queryOptions,
  replaceEqualDeep,
  useQuery,
  useQueryClient,
  type QueryClient,
} from '@tanstack/react-query';
import { useEffect, useMemo } from 'react';
import { pathOf, readsNotes } from '../gather/useDrop';
import { useWindow } from '../state/window';
import {
  client,
  post,
  Refusal,
  take,
  upload,
  type Action,
  type FindSettings,
  type SessionState,
} from './client';

export const useLibrary = () =>
  useQuery({ queryKey: ['library'], queryFn: () => take(client.GET('/api/library')), staleTime: Infinity });

/**
 * The later of two revisions. An answer asked for before an edit may come after it, and must not take the
 * edit back.
 */
export const later = (old: SessionState | undefined, came: SessionState): SessionState =>
  old && old.revision > came.revision ? old : replaceEqualDeep(old, came);

export const sessionQuery = (id: string) =>
  queryOptions({
    queryKey: ['session', id],
    queryFn: () => take(client.GET('/api/sessions/{session_id}', { params: { path: { session_id: id } } })),
    staleTime: Infinity,
    structuralSharing: (old, came) => later(old as SessionState | undefined, came as SessionState),
  });

export const useSession = (id: string) => useQuery(sessionQuery(id));

export const useOverview = (id: string, revision: number | undefined) =>
  useQuery({
    queryKey: ['overview', id, revision],
    queryFn: () =>
      take(client.GET('/api/sessions/{session_id}/overview', { params: { path: { session_id: id } } })),
    enabled: revision !== undefined,
    placeholderData: (old) => old,
    // While something is being analysed, a missed message must not leave the window waiting.
    refetchInterval: (query) => (query.state.data?.parts.some((part) => part.progress < 1) ? 2000 : false),
  });

export const askDecisions = (id: string, partId: string, find: FindSettings | null) =>
  take(
    client.POST('/api/sessions/{session_id}/parts/{part_id}/decisions', {
      params: { path: { session_id: id, part_id: partId } },
      body: { find },
    }),
  );

/** Decisions of the part as it stands, kept on screen while the next revision's are on their way. */
export const useDecisions = (
  id: string,
  partId: string | null,
  revision: number | undefined,
  ready: boolean,
) =>
  useQuery({
    queryKey: ['decisions', id, partId, revision, ready],
    queryFn: () => askDecisions(id, partId!, null),
    enabled: partId !== null && revision !== undefined,
    placeholderData: (old, query) => (query?.queryKey[2] === partId ? old : undefined),
  });

/** The doubtful places, worst first; of one part or of all. */
export const useSecondLook = (id: string, partId: string | null, revision: number | undefined, on: boolean) =>
  useQuery({
    queryKey: ['look', id, partId, revision],
    queryFn: () =>
      take(
        client.GET('/api/sessions/{session_id}/second-look', {
          params: { path: { session_id: id }, query: partId ? { part: partId } : {} },
        }),
      ),
    enabled: on && revision !== undefined,
    placeholderData: (old) => old,
  });

export const useSpillMap = (id: string, revision: number | undefined, on: boolean) =>
  useQuery({
    queryKey: ['spill', id, revision],
    queryFn: () =>
      take(client.GET('/api/sessions/{session_id}/spill', { params: { path: { session_id: id } } })),
    enabled: on && revision !== undefined,
    placeholderData: (old) => old,
  });

export const askAlike = (id: string, partId: string, index: number) =>
  take(
    client.POST('/api/sessions/{session_id}/parts/{part_id}/similar', {
      params: { path: { session_id: id, part_id: partId } },
      body: { index },
    }),
  );

export const askGhosts = (id: string, partId: string) =>
  take(
    client.GET('/api/sessions/{session_id}/parts/{part_id}/ghosts', {
      params: { path: { session_id: id, part_id: partId } },
    }),
  );

const ATTEMPTS = 4;

/** The session as it stands, where an action was made on what it no longer is. */
const staleState = (error: unknown): SessionState | null =>
  error instanceof Refusal && error.status === 409 ? (error.problem.state ?? null) : null;

/**
 * Everything a window may do to a session. Actions made on a stale revision are made again on the new one.
 */
export class Doing {
  /**
   * One thing after the other, so that a fast hand's second step is made on the revision its first step gave.
   */
  private turn: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly queries: QueryClient,
    readonly id: string,
  ) {}

  state(): SessionState | undefined {
    return this.queries.getQueryData<SessionState>(['session', this.id]);
  }

  take(state: SessionState): SessionState {
    const known = this.state();
    if (!known || state.revision >= known.revision) this.queries.setQueryData(['session', this.id], state);
    return state;
  }

  /** Do something; what is done with the same gesture again is the same step of undo. */
  async act(action: Action, gesture: string | null = null): Promise<boolean> {
    return this.again((revision) =>
      client.POST('/api/sessions/{session_id}/edits', {
        params: { path: { session_id: this.id } },
        body: { revision, action, gesture },
      }),
    );
  }

  async add(partId: string, timeS: number): Promise<boolean> {
    return this.again((revision) =>
      client.POST('/api/sessions/{session_id}/parts/{part_id}/add', {
        params: { path: { session_id: this.id, part_id: partId } },
        body: { revision, time_s: Math.max(timeS, 0) },
      }),
    );
  }

  /** Put the hit found at one moment near another; it snaps to the attack there. */
  async put(partId: string, foundS: number, nearS: number): Promise<boolean> {
    return this.again((revision) =>
      client.POST('/api/sessions/{session_id}/parts/{part_id}/put', {
        params: { path: { session_id: this.id, part_id: partId } },
        body: { revision, found_s: foundS, near_s: nearS },
      }),
    );
  }

  /** Strokes of one part belong to another: dropped here, hits there. */
  async give(partId: string, toPartId: string, timesS: number[]): Promise<boolean> {
    return this.again((revision) =>
      client.POST('/api/sessions/{session_id}/parts/{part_id}/give', {
        params: { path: { session_id: this.id, part_id: partId } },
        body: { revision, to_part_id: toPartId, time_s: timesS },
      }),
    );
  }

  /** Strokes of a part, by where they were found, live on as a part of their own; its id where that was done. */
  async divide(partId: string, timesS: number[], named: string | null): Promise<string | null> {
    const new_part_id = newId();
    const [marks, there] = [marksAt(timesS), marksAt(timesS)];
    const kind = 'split_part';
    return (await this.act({ kind, part_id: partId, new_part_id, marks, there, named })) ? new_part_id : null;
  }

  /** One part goes into another, with its strokes by where they were found. */
  join(partId: string, otherId: string, timesS: number[]): Promise<boolean> {
    return this.act({ kind: 'join_parts', part_id: partId, other_id: otherId, marks: marksAt(timesS) });
  }

  /** Look for strokes, or stop looking. */
  async analyse(on: boolean): Promise<void> {
    try {
      await take(
        client.POST('/api/sessions/{session_id}/analysis', {
          params: { path: { session_id: this.id } },
          body: { on },
        }),
      );
      await this.queries.invalidateQueries({ queryKey: ['overview', this.id] });
    } catch (error) {
      this.tell(error);
    }
  }

  walk(way: 'undo' | 'redo'): Promise<void> {
    return this.inTurn(() => this.walkNow(way));
  }

  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const done = this.turn.then(work);
    this.turn = done.catch(() => undefined);
    return done;
  }

  private async walkNow(way: 'undo' | 'redo'): Promise<void> {
    const begun = this.state();
    const label = begun?.[way];
    if (!begun || !label) return;
    const ask = (revision: number) => {
      const params = { params: { path: { session_id: this.id } }, body: { revision } };
      return way === 'undo'
        ? client.POST('/api/sessions/{session_id}/undo', params)
        : client.POST('/api/sessions/{session_id}/redo', params);
    };
    const number = (state: SessionState) => state[`${way}_number`];
    for (let attempt = 1; ; attempt++) {
      try {
        this.take(await take(ask(this.state()!.revision)));
        useWindow.getState().notify(`${way === 'undo' ? 'Undone' : 'Done again'}: ${label}`, true);
        return;
      } catch (error) {
        const now = staleState(error);
        if (now) this.take(now);
        // What was listened to meanwhile made a new revision, and the edit that is meant is still the next.
        if (now && number(now) === number(begun) && attempt < ATTEMPTS) continue;
        this.tell(error);
        return;
      }
    }
  }

  /** Take in whatever a person brings: recordings as sources, files of notes as parts. */
  takeIn(files: File[]): void {
    const notes = files.flatMap((file) => {
      const path = readsNotes(file.name);
      return path ? [{ file, path }] : [];
    });
    void this.addFiles(files.filter((file) => !notes.some((one) => one.file === file)));
    for (const { file, path } of notes) void this.bring(path, file);
  }

  /** Take files in, each as a source of its own, or all as further takes of one. */
  async addFiles(files: File[], sourceId?: string): Promise<void> {
    const { set, notify } = useWindow.getState();
    const progress = (name: string, share: number | null) => {
      const others = { ...useWindow.getState().uploads };
      delete others[name];
      set({ uploads: share === null ? others : { ...others, [name]: share } });
    };
    const drop = newId();
    for (const file of files) {
      try {
        progress(file.name, 0);
        const state = await upload<SessionState>(
          `/api/sessions/${this.id}/sources`,
          file,
          (share) => progress(file.name, share),
          { name: pathOf(file), drop, ...(sourceId ? { source: sourceId } : {}) },
        );
        this.take(state);
      } catch (error) {
        notify(error instanceof Error ? error.message : String(error));
      } finally {
        progress(file.name, null);
      }
    }
  }

  /** Whatever makes a new revision by a route of its own. */
  revised(ask: (revision: number) => Promise<{ data?: SessionState; error?: unknown; response: Response }>) {
    return this.again(ask);
  }

  /** Send a file that changes the session: MIDI, a list of hits, a note map. */
  async bring(path: string, file: File): Promise<boolean> {
    return this.again(async (revision) => {
      const response = await post(`/api/sessions/${this.id}/${path}?revision=${revision}`, file);
      const body = (await response
        .clone()
        .json()
        .catch(() => undefined)) as unknown;
      return response.ok ? { data: body as SessionState, response } : { error: body, response };
    });
  }

  private again(
    ask: (revision: number) => Promise<{ data?: SessionState; error?: unknown; response: Response }>,
  ) {
    return this.inTurn(() => this.againNow(ask));
  }

  private async againNow(
    ask: (revision: number) => Promise<{ data?: SessionState; error?: unknown; response: Response }>,
  ) {
    const begun = this.state()?.undo_number;
    for (let attempt = 0; attempt < ATTEMPTS; attempt++) {
      const before = this.state();
      try {
        this.take(await take(ask(before?.revision ?? 0)));
        if (before?.undo_number !== begun)
          useWindow.getState().notify('Another window had changed the session; yours was done on top.', true);
        return true;
      } catch (error) {
        const now = staleState(error);
        if (now) {
          this.take(now);
          continue;
        }
        this.tell(error);
        return false;
      }
    }
    return false;
  }

  private tell(error: unknown): void {
    if (error instanceof Refusal && error.problem.state) this.take(error.problem.state);
    useWindow.getState().notify(error instanceof Error ? error.message : String(error));
  }
}

export function useDoing(id: string): Doing {
  const queries = useQueryClient();
  return useMemo(() => new Doing(queries, id), [queries, id]);
}

/** Hear of other windows' edits and of the analysis going on. */
export function useNews(id: string): void {
  const queries = useQueryClient();
  useEffect(() => {
    const news = new EventSource(`/api/sessions/${id}/events`);
    const refresh = () => queries.invalidateQueries({ queryKey: ['session', id] });
    const analysed = () => {
      void queries.invalidateQueries({ queryKey: ['overview', id] });
      void queries.invalidateQueries({ queryKey: ['decisions', id] });
      void queries.invalidateQueries({ queryKey: ['look', id] });
      void queries.invalidateQueries({ queryKey: ['spill', id] });
    };
    news.addEventListener('session', (event) => {
      const revision = Number((event as MessageEvent<string>).data.split(' ')[1]);
      const known = queries.getQueryData<SessionState>(['session', id]);
      if (!known || revision > known.revision) void refresh();
    });
    news.addEventListener('audio', analysed);
    news.addEventListener('again', () => {
      void refresh();
      analysed();
    });
    return () => news.close();
  }, [queries, id]);
}

/** Places by new ids, as marks are made of them. */
export const marksAt = (timesS: number[]): Record<string, number> =>
  Object.fromEntries(timesS.map((timeS) => [newId(), timeS]));

/** A short random id for something new. */
export const newId = (): string =>
  Array.from(crypto.getRandomValues(new Uint8Array(6)), (byte) => byte.toString(16).padStart(2, '0')).join(
    '',
  );
