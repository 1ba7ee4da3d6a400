import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { client, take, type Decisions, type FindSettings } from '../api/client';
import { newId, useDecisions } from '../api/session';
import { sessionLength, type BenchProps } from '../shell/bench';
import { Key } from '../shell/Key';
import { useKeys } from '../shell/useKeys';
import { useWindow, viewShowing } from '../state/window';
import { clock, decibels, firstAt } from '../timeline/axes';
import { Stage } from '../timeline/Stage';
import { counts, State } from '../timeline/states';
import { Setting } from './Setting';
import { useDraft } from './useDraft';

const NEAR_S = 0.001;

/** Find: where was it struck? The hit field, the threshold to drag, marks by hand, the reason of every candidate. */
export function Find({ doing, document, revision, overview, pieces, partId, part, piece }: BenchProps) {
  const draft = useWindow((state) => state.draft);
  const selectedS = useWindow((state) => state.selectedS);
  const set = useWindow((state) => state.set);
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
  const { move, done } = useDraft(doing, partId, part);
  const lengthS = sessionLength(document);
  const [pointed, setPointed] = useState<{ index: number; x: number; y: number } | null>(null);
  const reason = useReason(doing.id, partId, decisions, pointed?.index ?? null, drafting?.find ?? null);
  const selected = useMemo(() => {
    if (!decisions || selectedS === null) return null;
    const index = firstAt(decisions.time_s, selectedS - NEAR_S);
    return index < decisions.time_s.length && decisions.time_s[index]! - selectedS < NEAR_S ? index : null;
  }, [decisions, selectedS]);
  const selectedReason = useReason(doing.id, partId, decisions, selected, null);

  const goTo = (timeS: number) =>
    set({ selectedS: timeS, playheadS: timeS, view: viewShowing(useWindow.getState().view, timeS, lengthS) });
  const step = (by: 1 | -1, any: boolean) => {
    if (!decisions) return;
    const { playheadS } = useWindow.getState();
    const from = selectedS ?? playheadS;
    let index = by > 0 ? firstAt(decisions.time_s, from + NEAR_S) : firstAt(decisions.time_s, from - NEAR_S) - 1;
    while (index >= 0 && index < decisions.time_s.length && !any && !counts(decisions.state[index]!)) index += by;
    const timeS = decisions.time_s[index];
    if (timeS !== undefined) goTo(timeS);
  };
  const mark = (kind: 'keep' | 'drop') => {
    const index = selected ?? pointed?.index ?? null;
    if (index === null || !decisions || !partId) {
      useWindow.getState().notify('Choose a candidate first: point at it, or step to it with the arrow keys.', true);
      return;
    }
    void doing.act({
      kind: 'mark',
      part_id: partId,
      marks: { [newId()]: { kind, time_s: decisions.time_s[index]!, velocity: null } },
    });
    set({ selectedS: decisions.time_s[index]! });
  };
  const add = () => {
    const { pointerS, playheadS } = useWindow.getState();
    if (partId) void doing.add(partId, pointerS ?? playheadS);
  };
  const unmark = () => {
    const at = selectedS ?? (pointed && decisions ? decisions.time_s[pointed.index]! : null);
    const found =
      at === null ? undefined : Object.entries(part?.marks ?? {}).find(([, one]) => Math.abs(one.time_s - at) < 0.008);
    if (found && partId) void doing.act({ kind: 'unmark', part_id: partId, mark_ids: [found[0]] });
    else useWindow.getState().notify('There is no mark by hand at this place.', true);
  };
  const nudge = (by: number) =>
    shown && void done({ threshold_db: Math.min(Math.max(Math.round((shown.threshold_db + by) * 10) / 10, -60), 0) });
  useKeys({
    ArrowRight: () => step(1, false),
    ArrowLeft: () => step(-1, false),
    'Shift+ArrowRight': () => step(1, true),
    'Shift+ArrowLeft': () => step(-1, true),
    ArrowUp: () => nudge(0.5),
    ArrowDown: () => nudge(-0.5),
    k: () => mark('keep'),
    d: () => mark('drop'),
    a: add,
    u: unmark,
    Escape: () => set({ selectedS: null }),
  });
  const onThreshold = useCallback(
    (level: number, ended: boolean) => (ended ? void done({ threshold_db: level }) : move({ threshold_db: level })),
    [done, move],
  );

  if (!part || !piece || !partId) {
    return (
      <div className="empty">
        <h2>No recording yet</h2>
        <p>
          Go to Gather and drop a drum track: a kick, a snare, a whole kit of microphones, a loop or a take of claps.
        </p>
      </div>
    );
  }
  const find = { ...part.find, ...drafting?.find } as FindSettings;
  const suggestion = decided.data?.suggestion;
  return (
    <>
      <section className="large">
        {!ready && (
          <p className="analysing" role="status">
            {about?.problem ??
              `Listening to ${document.sources?.[part.sources[0]!]?.name ?? 'the recording'} … ${Math.round((about?.progress ?? 0) * 100)} %`}
          </p>
        )}
        <Stage
          document={document}
          part={part}
          piece={piece}
          lengthS={lengthS}
          decisions={shown}
          mode="find"
          gapDb={suggestion?.gap_db}
          onThreshold={onThreshold}
          onPoint={(index, x, y) => setPointed(index === null ? null : { index, x, y })}
        />
        {pointed && reason && (
          <div
            className="reason"
            role="tooltip"
            style={{ left: Math.min(Math.max(pointed.x - 120, 8), 480), top: Math.max(pointed.y - 66, 4) }}
          >
            {reason}
          </div>
        )}
        <div className="under-stage">
          <p className="chosen" data-testid="chosen">
            {drafting?.decisions ? (
              <>
                <strong>{drafting.decisions.hits} hits:</strong> {drafting.decisions.lost} would be lost,{' '}
                {drafting.decisions.let_in} let in
              </>
            ) : selected !== null && decisions ? (
              <>
                <strong>{clock(decisions.time_s[selected]!, 3)}</strong> {selectedReason}
              </>
            ) : (
              <span className="quiet">
                Point at a candidate and it says why it counts or not. Drag the line to decide anew.
              </span>
            )}
          </p>
          <div className="acts">
            <button type="button" className="plain-act" onClick={() => step(-1, false)} aria-label="Previous hit">
              <Key>←</Key>
            </button>
            <button type="button" className="plain-act" onClick={() => step(1, false)}>
              <Key>→</Key> Hit to hit
            </button>
            <button type="button" className="plain-act" onClick={() => mark('keep')}>
              <Key>K</Key> Keep
            </button>
            <button type="button" className="plain-act" onClick={() => mark('drop')}>
              <Key>D</Key> Drop
            </button>
            <button type="button" className="plain-act" onClick={add}>
              <Key>A</Key> Add
            </button>
            <button type="button" className="plain-act" onClick={unmark}>
              <Key>U</Key> Take mark back
            </button>
          </div>
          <Legend head={piece.head} ink={piece.ink} />
        </div>
      </section>
      <aside className="settings">
        <div className="column-head">
          <span>{about?.name ?? piece.name} is found by</span>
        </div>
        <Setting
          name="Threshold"
          unit="dB"
          value={shown?.threshold_db ?? -40}
          least={-60}
          most={0}
          step={0.1}
          about={
            suggestion
              ? `suggested ${decibels(suggestion.threshold_db)}${suggestion.gap_db >= 1 ? `, gap ${suggestion.gap_db.toFixed(0)} dB` : ''}`
              : ''
          }
          following={find.threshold_db === null || find.threshold_db === undefined}
          onMove={(value) => move({ threshold_db: value })}
          onDone={(value) => void done({ threshold_db: value })}
          onFollow={() => void done({ threshold_db: null })}
        />
        <Setting
          name="Rise"
          unit="dB"
          value={find.rise_db ?? shown?.rise_needed_db ?? 6}
          least={3}
          most={40}
          step={0.5}
          about="over what rang just before"
          onMove={(value) => move({ rise_db: value })}
          onDone={(value) => void done({ rise_db: value })}
        />
        <Setting
          name="Hold-off"
          unit="ms"
          value={find.hold_off_ms ?? shown?.hold_off_ms ?? 30}
          least={5}
          most={200}
          step={1}
          digits={0}
          about="shortest time between two hits"
          onMove={(value) => move({ hold_off_ms: value })}
          onDone={(value) => void done({ hold_off_ms: value })}
        />
        {pieces.size > 0 && Object.keys(document.parts ?? {}).length > 1 && (
          <Setting
            name="Spill margin"
            unit="dB"
            value={find.spill_margin_db ?? 4}
            least={-12}
            most={24}
            step={0.5}
            about="over what other strokes spill here"
            onMove={(value) => move({ spill_margin_db: value })}
            onDone={(value) => void done({ spill_margin_db: value })}
          />
        )}
        <dl className="sums">
          <dt>Hits</dt>
          <dd>{decisions?.hits ?? '–'}</dd>
          <dt>Candidates</dt>
          <dd>{decisions?.time_s.length ?? '–'}</dd>
          <dt>In doubt</dt>
          <dd>{about?.doubtful ?? '–'}</dd>
          <dt>By hand</dt>
          <dd>{about?.by_hand ?? '–'}</dd>
        </dl>
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
): string | null {
  const [said, setSaid] = useState<{ of: string; text: string } | null>(null);
  const of = index === null || !decisions ? '' : `${partId} ${decisions.revision} ${index} ${JSON.stringify(find)}`;
  const latest = useRef(of);
  useEffect(() => {
    latest.current = of;
    if (!of || !partId || index === null) return;
    const path = { session_id: id, part_id: partId };
    take(client.POST('/api/sessions/{session_id}/parts/{part_id}/reason', { params: { path }, body: { index, find } }))
      .then((answer) => latest.current === of && setSaid({ of, text: answer.text }))
      .catch(() => undefined);
    // `of` names everything that is asked with.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [of]);
  return said && said.of === of ? said.text : null;
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
          [State.SoftRise, 'rises too little'],
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
