import { Empty } from '../shell/Empty';
import { KeyOf } from '../commands/KeyOf';
import { useCallback, useEffect, useMemo, useState } from 'react';
import { useLocation } from 'react-router';
import { client, take, type Decisions, type FindSettings, type Schema } from '../api/client';
import { useDecisions } from '../api/session';
import { held, limitOf } from '../api/limit';
import { isByHandOnly, type BenchProps } from '../shell/bench';
import { useCommands } from '../commands/useCommands';
import { useWindow } from '../state/window';
import { fitView, viewShowing } from '../state/view';
import { clock, firstAt } from '../stage/axes';
import { withThreshold } from '../stage/curve';
import { Stage } from '../stage/Stage';
import { counts, rowAt } from '../stage/states';
import { ByHand } from './ByHand';
import { FoundBy } from './FoundBy';
import { GapsView } from './GapsView';
import { BentLine } from './BentLine';
import { HitSound } from './HitSound';
import { Legend } from './Legend';
import { Mending, mendAt } from './Mending';
import { SecondLook } from './SecondLook';
import { useDraft } from './useDraft';
import { useGaps } from './useGaps';
import { useHandWork } from './useHandWork';
import { useReason } from './useReason';
import './find.scss';

type Side = 'settings' | 'marks' | 'mend' | 'gaps';
const AFTER: Record<Side, Side> = { settings: 'marks', marks: 'mend', mend: 'gaps', gaps: 'settings' };
const BEFORE_S = 0.2; // heard before a stroke
const NEAR_S = 0.001;
const HERE_S = 0.00001;
const NUDGE_S = 0.0005;

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
  const drawing = useWindow((state) => state.drawing);
  const set = useWindow((state) => state.set);
  const [side, setSide] = useState<Side>('settings');
  const about = overview?.parts.find((one) => one.part_id === partId);
  const ready = (about?.progress ?? 0) >= 1;
  const decided = useDecisions(doing.id, partId, revision, ready);
  const drafting = draft?.partId === partId ? draft : null;
  const decisions = drafting?.decisions ?? decided.data ?? null;
  // The line follows the hand at once; the candidates follow as soon as the server has decided.
  const shown = useMemo<Decisions | null>(
    () =>
      decisions && drafting && typeof drafting.find.threshold_db === 'number'
        ? withThreshold(decisions, drafting.find.threshold_db)
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
  const { mark, shift, put, add, alike, chooseGhosts, divide, together, unmark } = useHandWork(
    doing,
    part,
    partId,
    {
      decisions,
      selected,
      pointed: pointed?.index ?? null,
    },
  );
  const name = about?.name ?? piece?.name ?? '';
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
  // What a mark speaks of: where the chosen stroke was found.
  const foundS = selected !== null && decisions ? decisions.found_s[selected]! : null;
  const mendedBy = mendAt(part?.mends ?? {}, foundS);
  const mendWith = (fromS: number | null) => {
    if (!partId || foundS === null) {
      useWindow.getState().notify('Choose the stroke to mend first: step to it, or click on it.', true);
      return;
    }
    setSide('mend');
    void doing.revised((now) =>
      client.POST('/api/sessions/{session_id}/parts/{part_id}/mend', {
        params: { path: { session_id: doing.id, part_id: partId } },
        body: { revision: now, found_s: foundS, from_s: fromS },
      }),
    );
  };
  const gaps = useGaps(doing, document, revision, part, ready, side === 'gaps');
  const mendBack = () => {
    if (side === 'gaps') return gaps.asTold(foundS);
    if (partId && mendedBy) void doing.act({ kind: 'unmend', part_id: partId, mend_ids: [mendedBy[0]] });
    else useWindow.getState().notify('This stroke sounds as it was recorded.', true);
  };
  const hearFrom = (timeS: number) =>
    set({
      playheadS: Math.max(timeS - BEFORE_S, 0),
      hearing: 'recording',
      playAsked: useWindow.getState().playAsked + 1,
    });
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
    chooseGhosts: () => void chooseGhosts(),
    divide: () => void divide(name),
    together: () => void together(),
    takeBack: unmark,
    secondLook: () => look(),
    onlyLoop: lookOnly,
    bestBar: () => void bestBar(),
    draw: () => set({ drawing: !useWindow.getState().drawing && !(part && isByHandOnly(part)) }),
    view: () => setSide(AFTER[side]),
    mend: () => mendWith(null),
    unmend: mendBack,
    gaps: () => {
      setSide('gaps');
      void gaps.turn(!gaps.cleaning?.on);
    },
    earlierFar: () => gaps.moveEnd(foundS, -0.01),
    laterFar: () => gaps.moveEnd(foundS, 0.01),
    fadeInShorter: () => gaps.moveBegin(foundS, -0.001),
    fadeInLonger: () => gaps.moveBegin(foundS, 0.001),
    upFar: () => gaps.deeper(foundS, -1),
    downFar: () => gaps.deeper(foundS, 1),
    ticks: () => set({ trigger: !useWindow.getState().trigger, hearing: 'both' }),
    detector: () => set({ detector: !useWindow.getState().detector }),
    leave: () => set({ selectedS: null, chosenS: [], drawing: false }),
  });
  // Who comes here to look at what is in doubt, looks at it.
  const asked = (useLocation().state as { secondLook?: boolean } | null)?.secondLook ?? false;
  useEffect(() => {
    if (asked) set({ looking: { allParts: true, most: 0, skipped: [], at: null }, chosenS: [] });
  }, [asked, set]);
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
      <Empty title="No recording yet" sessionId={doing.id}>
        Go to Gather and drop a drum track: a kick, a snare, a whole kit of microphones, a loop or a take of
        claps.
      </Empty>
    );
  }
  const pointedAs = (row: number | null, x: number, y: number) => {
    const timeS = row === null ? undefined : shown?.time_s[row];
    return timeS === undefined ? null : { timeS, of: inView, x, y };
  };
  const byHandOnly = isByHandOnly(part);
  const find = { ...part.find, ...drafting?.find } as FindSettings;
  const recorded = document.sources?.[part.sources[0]!]?.name ?? 'the recording';
  const inAll = overview?.parts.reduce((sum, one) => sum + one.doubtful, 0) ?? 0;
  return (
    <>
      <section className="large">
        {!ready && (
          <p className="analysing" role="status">
            {about?.problem ?? `Listening to ${recorded} … ${Math.round((about?.progress ?? 0) * 100)} %`}{' '}
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
          gaps={gaps.shown}
          onGap={side === 'gaps' && gaps.cleaning?.on ? gaps.put : undefined}
          suspect={(pointed ? reason : selectedReason)?.suspect ?? null}
          span={span}
          byHandOnly={byHandOnly}
          onPoint={(row, x, y) => setPointedAt(pointedAs(row, x, y))}
        />
        {pointed && reason && !drawing && (
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
                  <strong>{chosenS.length} chosen:</strong> keep or drop works on all of them.{' '}
                  <button type="button" className="plain-act light" onClick={() => void divide(name)}>
                    <KeyOf of="divide" /> a part of their own
                  </button>
                </>
              ) : selected !== null && decisions ? (
                <>
                  <strong>{clock(decisions.time_s[selected]!, 3)}</strong> {selectedReason?.text}
                  {mendedBy && ` It is mended with the stroke at ${clock(mendedBy[1].from_s, 3)}.`}
                </>
              ) : (
                <span className="quiet">
                  {byHandOnly
                    ? 'What was given to it by hand is what it plays. '
                    : 'Point at a candidate and it says why it counts or not. Drag the line to decide anew. '}
                  Drag a hit to move it, or over candidates to choose them.
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
              <button type="button" className="plain-act" onClick={() => void chooseGhosts()}>
                <KeyOf of="chooseGhosts" /> Ghosts
              </button>
              <button
                type="button"
                className="plain-act"
                aria-pressed={trigger}
                onClick={() => set({ trigger: !trigger, hearing: 'both' })}
              >
                <KeyOf of="ticks" /> {trigger ? 'Ticks on' : 'Ticks'}
              </button>
              {trigger && <HitSound library={props.library} piece={part.piece} />}
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
      <aside className="settings" aria-label="Settings">
        <div className="column-head tabs">
          <button
            type="button"
            className="plain-act"
            aria-pressed={side === 'settings'}
            onClick={() => setSide('settings')}
          >
            {AFTER[side] === 'settings' && <KeyOf of="view" />} Found
          </button>
          <button
            type="button"
            className="plain-act"
            aria-pressed={side === 'marks'}
            onClick={() => setSide('marks')}
          >
            {AFTER[side] === 'marks' && <KeyOf of="view" />} Marks
          </button>
          <button
            type="button"
            className="plain-act"
            aria-pressed={side === 'mend'}
            onClick={() => setSide('mend')}
          >
            {AFTER[side] === 'mend' && <KeyOf of="view" />} Mend
          </button>
          <button
            type="button"
            className="plain-act"
            aria-pressed={side === 'gaps'}
            onClick={() => setSide('gaps')}
          >
            {AFTER[side] === 'gaps' && <KeyOf of="view" />} Gaps
          </button>
        </div>
        {drawing && !looking && <BentLine curve={find.curve ?? []} onCurve={onCurve} />}
        {side === 'marks' ? (
          <ByHand {...props} />
        ) : side === 'mend' ? (
          <Mending
            doing={doing}
            revision={revision}
            partId={partId}
            mends={part.mends}
            foundS={foundS}
            onMend={mendWith}
            onHear={hearFrom}
            onBack={mendBack}
          />
        ) : side === 'gaps' ? (
          <GapsView {...props} gaps={gaps} foundS={foundS} />
        ) : byHandOnly ? (
          <>
            <p className="about">
              No threshold decides here: it holds the strokes that were given to it by hand, as strong as they
              were. Keep, drop, add and move work on it as on any part.
            </p>
            {part.divided_from === part.sorted_from && (
              <button type="button" className="plain-act light" onClick={() => void together()}>
                <KeyOf of="together" /> join it again
              </button>
            )}
          </>
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
