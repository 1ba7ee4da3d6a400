import { KeyOf } from '../commands/KeyOf';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { client, take, type Decisions, type FindSettings, type Schema, type Suspect } from '../api/client';
import { askAlike, newId, useDecisions } from '../api/session';
import { held, limitOf } from '../api/limit';
import type { BenchProps } from '../shell/bench';
import { useCommands } from '../commands/useCommands';
import { useWindow } from '../state/window';
import { fitView, viewShowing } from '../state/view';
import { clock, firstAt } from '../stage/axes';
import type { Hit } from '../stage/gestures';
import { Stage } from '../stage/Stage';
import { counts, rowAt, State } from '../stage/states';
import { ByHand } from './ByHand';
import { FoundBy } from './FoundBy';
import { SecondLook } from './SecondLook';
import { useDraft } from './useDraft';
import './find.scss';

const NEAR_S = 0.001;
const HERE_S = 0.00001;
const NUDGE_S = 0.0005;
const MARK_NEAR_S = 0.004;

/**
 * Find: where was it struck? The hit field, the threshold to drag, marks by hand, the reason of every
 * candidate.
 */
export function Find(props: BenchProps) {
  const { doing, document, revision, overview, partId, part, piece } = props;
  const draft = useWindow((state) => state.draft);
  const selectedS = useWindow((state) => state.selectedS);
  const chosenS = useWindow((state) => state.chosenS);
  const looking = useWindow((state) => state.looking);
  const loop = useWindow((state) => state.loop);
  const trigger = useWindow((state) => state.trigger);
  const set = useWindow((state) => state.set);
  const [side, setSide] = useState<'settings' | 'marks'>('settings');
  const about = overview?.parts.find((one) => one.part_id === partId);
  const ready = (about?.progress ?? 0) >= 1;
  const decided = useDecisions(doing.id, partId, revision, ready);
  const drafting = draft?.partId === partId ? draft : null;
  const decisions = drafting?.decisions ?? decided.data ?? null;
  // The line follows the hand at once; the candidates follow as soon as the server has decided.
  const shown = useMemo<Decisions | null>(
    () =>
      decisions && drafting && typeof drafting.find.threshold_db === 'number'
        ? { ...decisions, threshold_db: drafting.find.threshold_db }
        : decisions,
    [decisions, drafting],
  );
  const { move, done, leave } = useDraft(doing, partId, part);
  const lengthS = props.lengthS;
  const [pointedAt, setPointedAt] = useState<{ timeS: number; of: string; x: number; y: number } | null>(
    null,
  );
  // The note at the pointer goes when what it speaks of moves, or is not there any more.
  const view = useWindow((state) => state.view);
  const inView = `${partId} ${view.startS} ${view.spanS}`;
  const pointed = useMemo(() => {
    if (!decisions || pointedAt?.of !== inView) return null;
    const index = rowAt(decisions, pointedAt.timeS, HERE_S);
    return index < 0 ? null : { index, x: pointedAt.x, y: pointedAt.y };
  }, [decisions, pointedAt, inView]);
  const reason = useReason(doing.id, partId, decisions, pointed?.index ?? null, drafting?.find ?? null);
  const selected = useMemo(() => {
    if (!decisions || selectedS === null) return null;
    const index = rowAt(decisions, selectedS, NEAR_S);
    return index < 0 ? null : index;
  }, [decisions, selectedS]);
  const selectedReason = useReason(doing.id, partId, decisions, selected, null);

  const goTo = (timeS: number) =>
    // The hand is on the keys now, wherever the pointer rests.
    set({
      selectedS: timeS,
      chosenS: [],
      playheadS: timeS,
      pointerS: null,
      view: viewShowing(useWindow.getState().view, timeS, lengthS),
    });
  const step = (by: 1 | -1, any: boolean) => {
    if (!decisions) return;
    const { playheadS } = useWindow.getState();
    const from = selectedS ?? playheadS;
    let index =
      by > 0 ? firstAt(decisions.time_s, from + NEAR_S) : firstAt(decisions.time_s, from - NEAR_S) - 1;
    while (index >= 0 && index < decisions.time_s.length && !any && !counts(decisions.state[index]!))
      index += by;
    const timeS = decisions.time_s[index];
    if (timeS !== undefined) goTo(timeS);
  };
  /**
   * The places that keep, drop and give work on: all that are chosen, else the one that is selected or
   * pointed at.
   */
  const places = (): number[] => {
    if (chosenS.length) return chosenS;
    const index = selected ?? pointed?.index ?? null;
    return index === null || !decisions ? [] : [decisions.time_s[index]!];
  };
  // A second nudge comes before the server has told of the first; by where it stands, where each was found.
  const nudged = useRef(new Map<number, number>());
  /** Where the candidate was found that stands at a moment: that is what marks speak of. */
  const foundAt = (standsS: number): number => {
    const index = decisions ? rowAt(decisions, standsS, NEAR_S) : -1;
    return nudged.current.get(standsS) ?? (index >= 0 ? decisions!.found_s[index]! : standsS);
  };
  const mark = (kind: 'keep' | 'drop') => {
    const at = places();
    if (!at.length || !partId) {
      useWindow
        .getState()
        .notify('Choose a candidate first: point at it, or step to it with the arrow keys.', true);
      return;
    }
    const marks = Object.fromEntries(at.map((timeS) => [newId(), { kind, time_s: foundAt(timeS) }]));
    void doing.act({ kind: 'mark', part_id: partId, marks });
    set(at.length > 1 ? { chosenS: [] } : { selectedS: at[0]! });
  };
  const shift = async (byS: number): Promise<boolean> => {
    if (!decisions || !partId) return false;
    const at = chosenS.length ? chosenS : selectedS !== null ? [selectedS] : [];
    const moved = at.flatMap((standsS) => {
      const index = rowAt(decisions, standsS, NEAR_S);
      if (!nudged.current.has(standsS) && !(index >= 0 && counts(decisions.state[index]!))) return [];
      return [{ foundS: foundAt(standsS), standsS, toS: Math.max(standsS + byS, 0) }];
    });
    if (!moved.length) {
      const said = 'Step to a hit first; then Alt with the arrow keys moves it by half a millisecond.';
      useWindow.getState().notify(said, true);
      return false;
    }
    nudged.current = new Map(moved.map((one) => [one.toS, one.foundS]));
    set(chosenS.length ? { chosenS: moved.map((one) => one.toS) } : { selectedS: moved[0]!.toS });
    const marks = moved.map(({ foundS, standsS }) => [
      newId(),
      { time_s: foundS, by_s: byS, stands_s: standsS },
    ]);
    const kept = await doing.act({ kind: 'mark', part_id: partId, marks: Object.fromEntries(marks) });
    if (!kept) set({ chosenS, selectedS });
    return kept;
  };
  /** A hit dragged to another moment; one of several that are chosen takes the others along. */
  const put = async (hit: Hit, toS: number, free: boolean): Promise<boolean> => {
    if (!partId) return false;
    if (chosenS.length > 1 && chosenS.includes(hit.standsS)) return shift(toS - hit.standsS);
    const marks = { [newId()]: { time_s: hit.foundS, to_s: toS } };
    const kept = free
      ? await doing.act({ kind: 'mark', part_id: partId, marks })
      : await doing.put(partId, hit.foundS, toS);
    const known = Object.values(doing.state()?.document.parts?.[partId]?.marks ?? {});
    const there = known.find((one) => Math.abs(one.time_s - hit.foundS) < MARK_NEAR_S)?.to_s;
    if (kept && typeof there === 'number') set({ selectedS: there, playheadS: there });
    return kept;
  };
  const add = () => {
    const { pointerS, playheadS } = useWindow.getState();
    if (partId) void doing.add(partId, pointerS ?? playheadS);
  };
  const alike = async () => {
    const index = selected ?? pointed?.index ?? null;
    if (index === null || !partId) return;
    const found = await askAlike(doing.id, partId, index);
    set({ chosenS: found.time_s, selectedS: null });
    useWindow
      .getState()
      .notify(
        `${found.time_s.length} that sound alike are chosen; keep, drop or give works on all of them.`,
        true,
      );
  };
  const unmark = () => {
    const at = selectedS ?? (pointed && decisions ? decisions.time_s[pointed.index]! : null);
    const found =
      at === null
        ? undefined
        : Object.entries(part?.marks ?? {}).find(
            ([, one]) => Math.abs(one.time_s - foundAt(at)) < MARK_NEAR_S,
          );
    if (found && partId) void doing.act({ kind: 'unmark', part_id: partId, mark_ids: [found[0]] });
    else useWindow.getState().notify('There is no mark by hand at this place.', true);
  };
  const nudge = (by: number) =>
    shown &&
    void done({
      threshold_db: held(
        Math.round((shown.threshold_db + by) * 10) / 10,
        limitOf('FindSettings', 'threshold_db'),
      ),
    });
  const look = (allParts = true) =>
    set({ looking: { allParts, most: 0, skipped: [], at: null }, chosenS: [] });
  const span = document.span ?? null;
  const lookOnly = () =>
    void doing.act({
      kind: 'set_span',
      span: span || !loop ? null : { start_s: loop.startS, end_s: loop.endS },
    });
  const bestBar = async () => {
    try {
      const bar = await take(
        client.GET('/api/sessions/{session_id}/best-bar', { params: { path: { session_id: doing.id } } }),
      );
      set({
        loop: { startS: bar.start_s, endS: bar.end_s },
        looping: true,
        playheadS: bar.start_s,
        view: fitView({ startS: bar.start_s - 0.2, spanS: bar.end_s - bar.start_s + 0.4 }, lengthS),
      });
      useWindow.getState().notify(`${bar.said} It is looped now; W looks only there.`, true);
    } catch (error) {
      useWindow.getState().notify(error instanceof Error ? error.message : String(error));
    }
  };
  useCommands({
    next: () => step(1, false),
    previous: () => step(-1, false),
    nextAny: () => step(1, true),
    previousAny: () => step(-1, true),
    later: () => void shift(NUDGE_S),
    earlier: () => void shift(-NUDGE_S),
    up: () => nudge(0.5),
    down: () => nudge(-0.5),
    keep: () => mark('keep'),
    drop: () => mark('drop'),
    add: add,
    similar: () => void alike(),
    takeBack: unmark,
    secondLook: () => look(),
    onlyLoop: lookOnly,
    bestBar: () => void bestBar(),
    draw: () => set({ drawing: !useWindow.getState().drawing }),
    view: () => setSide((now) => (now === 'marks' ? 'settings' : 'marks')),
    ticks: () => set({ trigger: !useWindow.getState().trigger, hearing: 'both' }),
    detector: () => set({ detector: !useWindow.getState().detector }),
    leave: () => set({ selectedS: null, chosenS: [], drawing: false }),
  });
  useEffect(
    () => () => set({ looking: null, trigger: false, detector: false, drawing: false, chosenS: [] }),
    [set],
  );
  const onThreshold = useCallback(
    (level: number, ended: boolean) =>
      ended ? void done({ threshold_db: level }) : move({ threshold_db: level }),
    [done, move],
  );
  const onCurve = useCallback(
    (curve: Schema['CurvePoint'][], ended: boolean) => {
      // The next point may be set before the server has told of this one.
      move({ curve });
      if (ended) void done({ curve });
    },
    [done, move],
  );

  if (!part || !piece || !partId) {
    return (
      <div className="empty">
        <h2>No recording yet</h2>
        <p>
          Go to Gather and drop a drum track: a kick, a snare, a whole kit of microphones, a loop or a take of
          claps.
        </p>
      </div>
    );
  }
  const pointedAs = (row: number | null, x: number, y: number) => {
    const timeS = row === null ? undefined : shown?.time_s[row];
    return timeS === undefined ? null : { timeS, of: inView, x, y };
  };
  const find = { ...part.find, ...drafting?.find } as FindSettings;
  const inAll = overview?.parts.reduce((sum, one) => sum + one.doubtful, 0) ?? 0;
  const byHand = Object.keys(part.marks ?? {}).length;
  return (
    <>
      <section className="large">
        {!ready && (
          <p className="analysing" role="status">
            {about?.problem ??
              `Listening to ${document.sources?.[part.sources[0]!]?.name ?? 'the recording'} … ${Math.round((about?.progress ?? 0) * 100)} %`}{' '}
            <button
              type="button"
              className="plain-act light"
              onClick={() => void doing.analyse(Boolean(about?.problem))}
            >
              {about?.problem ? 'listen again' : 'cancel'}
            </button>
          </p>
        )}
        <Stage
          document={document}
          part={part}
          piece={piece}
          lengthS={lengthS}
          decisions={shown}
          mode="find"
          gapDb={decided.data?.suggestion.gap_db}
          onThreshold={onThreshold}
          curve={find.curve}
          onCurve={onCurve}
          onForget={leave}
          onHit={put}
          suspect={(pointed ? reason : selectedReason)?.suspect ?? null}
          span={span}
          onPoint={(row, x, y) => setPointedAt(pointedAs(row, x, y))}
        />
        {pointed && reason && (
          <div
            className="reason"
            role="tooltip"
            style={{ left: Math.min(Math.max(pointed.x - 120, 8), 480), top: Math.max(pointed.y - 66, 4) }}
          >
            {reason.text}
          </div>
        )}
        {looking ? (
          <SecondLook {...props} />
        ) : (
          <div className="under-stage">
            <p className="chosen" data-testid="chosen">
              {drafting?.decisions ? (
                <>
                  <strong>{drafting.decisions.hits} hits:</strong> {drafting.decisions.lost_s.length} would be
                  lost, {drafting.decisions.let_in_s.length} let in
                </>
              ) : chosenS.length ? (
                <>
                  <strong>{chosenS.length} chosen:</strong> keep or drop works on all of them.
                </>
              ) : selected !== null && decisions ? (
                <>
                  <strong>{clock(decisions.time_s[selected]!, 3)}</strong> {selectedReason?.text}
                </>
              ) : (
                <span className="quiet">
                  Point at a candidate and it says why it counts or not. Drag the line to decide anew, a hit
                  to move it, or over candidates to choose them.
                </span>
              )}
            </p>
            <div className="acts">
              <button
                type="button"
                className="look-act"
                onClick={() => look()}
                data-testid="second-look-open"
              >
                <KeyOf of="secondLook" /> Second look <b className="number">{inAll}</b>
              </button>
              <button
                type="button"
                className="plain-act"
                onClick={() => step(-1, false)}
                aria-label="Previous hit"
              >
                <KeyOf of="previous" />
              </button>
              <button type="button" className="plain-act" onClick={() => step(1, false)}>
                <KeyOf of="next" /> Hit to hit
              </button>
              <button type="button" className="plain-act" onClick={() => mark('keep')}>
                <KeyOf of="keep" /> Keep
              </button>
              <button type="button" className="plain-act" onClick={() => mark('drop')}>
                <KeyOf of="drop" /> Drop
              </button>
              <button type="button" className="plain-act" onClick={add}>
                <KeyOf of="add" /> Add
              </button>
              <button type="button" className="plain-act" onClick={() => void alike()}>
                <KeyOf of="similar" /> All alike
              </button>
              <button
                type="button"
                className="plain-act"
                aria-pressed={trigger}
                onClick={() => set({ trigger: !trigger, hearing: 'both' })}
              >
                <KeyOf of="ticks" /> {trigger ? 'Ticks on' : 'Ticks'}
              </button>
              <button type="button" className="plain-act" onClick={lookOnly} disabled={!span && !loop}>
                <KeyOf of="onlyLoop" /> {span ? 'Everything' : 'Only the loop'}
              </button>
              <button type="button" className="plain-act" onClick={() => void bestBar()}>
                <KeyOf of="bestBar" /> Best bar
              </button>
            </div>
            <Legend head={piece.head} ink={piece.ink} />
          </div>
        )}
      </section>
      <aside className="settings">
        <div className="column-head tabs">
          <button
            type="button"
            className="plain-act"
            aria-pressed={side === 'settings'}
            onClick={() => setSide('settings')}
          >
            Found by
          </button>
          <button
            type="button"
            className="plain-act"
            aria-pressed={side === 'marks'}
            onClick={() => setSide('marks')}
          >
            <KeyOf of="view" /> By hand {byHand || ''}
          </button>
        </div>
        {side === 'marks' ? (
          <ByHand {...props} />
        ) : (
          <FoundBy
            {...props}
            find={find}
            shown={shown}
            suggestion={decided.data?.suggestion}
            move={move}
            done={done}
          />
        )}
      </aside>
    </>
  );
}

/** Ask why a candidate is what it is; the sentence is the server's. */
function useReason(
  id: string,
  partId: string | null,
  decisions: Decisions | null,
  index: number | null,
  find: FindSettings | null,
): { text: string; suspect: Suspect | null } | null {
  const [said, setSaid] = useState<{ of: string; text: string; suspect: Suspect | null } | null>(null);
  const of =
    index === null || !decisions ? '' : `${partId} ${decisions.revision} ${index} ${JSON.stringify(find)}`;
  const latest = useRef(of);
  useEffect(() => {
    latest.current = of;
    if (!of || !partId || index === null) return;
    const path = { session_id: id, part_id: partId };
    take(
      client.POST('/api/sessions/{session_id}/parts/{part_id}/reason', {
        params: { path },
        body: { index, find },
      }),
    )
      .then(
        (answer) =>
          latest.current === of && setSaid({ of, text: answer.text, suspect: answer.suspect ?? null }),
      )
      .catch(() => undefined);
    // `of` names everything that is asked with.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [of]);
  return said && said.of === of ? said : null;
}

function Legend({ head, ink }: { head: 'oval' | 'cross'; ink: string }) {
  const colour = `var(--piece-${ink})`;
  const mark = (state: number) => (
    <svg width="16" height="14" viewBox="-8 -7 16 14" aria-hidden="true">
      {state === State.Hit &&
        (head === 'oval' ? (
          <ellipse rx="5.5" ry="4" transform="rotate(-20)" fill={colour} />
        ) : (
          <path d="M-4 -4L4 4M4 -4L-4 4" stroke={colour} strokeWidth="2" />
        ))}
      {state === State.Under && <circle r="2.2" fill="none" stroke="var(--soft-ink)" />}
      {state === State.Spill && <path d="M0 -4.5L4.5 3.5L-4.5 3.5Z" fill="none" stroke="var(--soft-ink)" />}
      {state === State.Unlike && <path d="M0 -4L4 0L0 4L-4 0Z" fill="none" stroke="var(--soft-ink)" />}
      {state === State.SoftRise && <path d="M-4 1.5L0 -1.5L4 1.5" fill="none" stroke="var(--soft-ink)" />}
      {state === State.HeldOff && <path d="M-2 -4V4M2 -4V4" stroke="var(--soft-ink)" />}
      {state === State.Kept && (
        <>
          <circle r="6" fill="none" stroke="var(--ink)" strokeWidth="1.3" />
          <circle r="2.6" fill={colour} />
        </>
      )}
    </svg>
  );
  return (
    <div className="legend" aria-label="What the shapes mean">
      {(
        [
          [State.Hit, 'hit'],
          [State.Kept, 'by hand'],
          [State.Spill, 'spill'],
          [State.Unlike, 'unlike a stroke'],
          [State.HeldOff, 'held off'],
          [State.Under, 'under the threshold'],
        ] as const
      ).map(([state, word]) => (
        <span key={word}>
          {mark(state)} {word}
        </span>
      ))}
    </div>
  );
}
