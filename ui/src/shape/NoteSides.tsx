import { Empty } from '../shell/Empty';
import { KeyOf } from '../commands/KeyOf';
import { useEffect, useMemo, useState } from 'react';
import { client, take, type Schema } from '../api/client';
import { newId, useLibrary } from '../api/session';
import type { BenchProps } from '../shell/bench';
import { useCommands } from '../commands/useCommands';
import { usePressed } from '../commands/usePressed';
import { useWindow } from '../state/window';
import { viewShowing } from '../state/view';
import { clock } from '../stage/axes';
import { ChangesBack } from './ChangesBack';
import { NoteSettings } from './NoteSettings';
import { NoteTable, setNotes } from './NoteTable';
import { StepList, scopeNow } from './StepList';
import { newStep } from './steps';
import { StrengthCurve } from './StrengthCurve';
import { TimingField } from './TimingField';
import { TimingSettings } from './TimingSettings';
import { placeOf, useShape, type Columns, type Grid, type Step } from './useShape';
import { LETTERS } from './letters';
import { LineByKeys } from '../stage/LineByKeys';
import { MOST_PERCENT, type LinePoint } from '../stage/noteGestures';
import { VelocityField } from './VelocityField';
import { strike, useNoteTable } from './useWays';
import { wayAfter, waysOf, type Way } from './ways';
import { SideTabs, sideAfter, type NoteSide, type Side } from './SideTabs';
import './shape.scss';

const NUDGE_S = 0.001;
const PERCENT = { least: 0, most: MOST_PERCENT, rest: 100 };

/**
 * How hard, how tight, and which note: three sides of the notes of one part; before and after on another key.
 */
export function NoteSides({
  doing,
  document,
  revision,
  overview,
  partId,
  part,
  piece,
  lengthS,
  side,
  onSide,
}: BenchProps & { side: NoteSide; onSide: (side: Side) => void }) {
  const about = overview?.parts.find((one) => one.part_id === partId);
  const ready = (about?.progress ?? 0) >= 1;
  const before = useWindow((state) => state.before);
  const selectedS = useWindow((state) => state.selectedS);
  const chosenS = useWindow((state) => state.chosenS);
  const loop = useWindow((state) => state.loop);
  const set = useWindow((state) => state.set);
  const notify = useWindow((state) => state.notify);
  const [drawing, setDrawing] = useState(false);
  const [points, setPoints] = useState<LinePoint[]>([]);
  const [times, setTimes] = useState(1);
  const [grid, setGrid] = useState<Grid | null>(null);
  const [same, setSame] = useState<{ partId: string; found: Schema['Same'] } | null>(null);
  const [back, setBack] = useState<Schema['ChangesFromMidi'] | null>(null);
  const { columns, shape, move, done, leave } = useShape(doing, partId, revision, ready, before, grid);
  const names = useMemo(() => new Map(overview?.parts.map((one) => [one.part_id, one.name])), [overview]);

  useEffect(() => () => set({ before: false, chosenS: [] }), [set]);
  const indexOf = (place: number) =>
    columns?.time_s.findIndex((_, i) => Math.abs(placeOf(columns, i) - place) < 1e-4) ?? -1;
  const selected = columns && selectedS !== null ? indexOf(selectedS) : -1;
  /** What is worked on: all that are chosen, else the one that is selected. */
  const indices = (): number[] =>
    !columns
      ? []
      : chosenS.length
        ? chosenS.map(indexOf).filter((i) => i >= 0)
        : selected >= 0
          ? [selected]
          : [];
  const goTo = (index: number) => {
    if (!columns || columns.time_s[index] === undefined) return;
    const place = placeOf(columns, index);
    set({
      selectedS: place,
      chosenS: [],
      playheadS: place,
      view: viewShowing(useWindow.getState().view, place, lengthS),
    });
  };
  const step = (by: number) => {
    if (!columns?.time_s.length) return;
    if (selected >= 0) return goTo(Math.min(Math.max(selected + by, 0), columns.time_s.length - 1));
    const { playheadS } = useWindow.getState();
    const next = columns.time_s.findIndex((timeS) => timeS > playheadS - 1e-4);
    goTo(by > 0 ? (next < 0 ? columns.time_s.length - 1 : next) : (next <= 0 ? 1 : next) - 1);
  };
  const pressed = usePressed<number>();
  const going = (what: string, shown: number, change: (now: number) => number): number => {
    const value = change(pressed.of(what) ?? shown);
    pressed.put(what, value);
    return value;
  };
  const louder = (by: number, of = indices()) => {
    if (!columns || !partId) return;
    if (!of.length) {
      notify(
        'Step to a note first, or drag over some; then the arrow keys make them louder or softer.',
        true,
      );
      return;
    }
    void setNotes(doing, partId, columns, of, (i) => ({
      velocity: going(`velocity ${placeOf(columns, i)}`, columns.velocity[i]!, (now) =>
        Math.min(Math.max(now + by, 1), 127),
      ),
    }));
  };
  const nudge = (byS: number) => {
    if (!columns || !partId) return;
    void setNotes(doing, partId, columns, indices(), (i) => ({
      note_s: going(`place ${placeOf(columns, i)}`, columns.time_s[i]!, (now) => Math.max(now + byS, 0)),
    }));
  };
  const takeBack = () => {
    if (!columns || !partId) return;
    const byHand = indices().filter((i) => columns.by_hand[i]);
    if (byHand.length)
      void setNotes(doing, partId, columns, byHand, () => ({ velocity: null, note: null, note_s: null }));
    else notify('Nothing is set by hand at this place.', true);
  };
  const remove = () => {
    if (!columns || !partId) return;
    const of = indices();
    if (!of.length) return;
    const marks: Record<string, Schema['MarkChange']> = {};
    const beside: string[] = [];
    for (const i of of) {
      const foundS = columns.found_s[i];
      if (foundS === null || foundS === undefined) beside.push(columns.pattern_id[i]!);
      else marks[newId()] = { kind: 'drop', time_s: foundS };
    }
    void doing.act({
      kind: 'take_changes',
      marks: { [partId]: marks },
      notes: {},
      remove: { [partId]: beside },
    });
    set({ chosenS: [], selectedS: null });
  };
  const addStep = (kind: Step['kind'], more: object = {}) => {
    if (!columns) return;
    void done({ steps: [...(columns.shape.steps ?? []), { ...newStep(kind, scopeNow()), ...more } as Step] });
  };
  const drawn = (points: LinePoint[]) => {
    const ends = [points[0]!.time_s, points[points.length - 1]!.time_s] as const;
    const step = { kind: 'line', on: true, points, scope: { start_s: ends[0], end_s: ends[1] } } as Step;
    void done({ steps: [...(columns?.shape.steps ?? []), step] });
    draw(false);
  };
  const draw = (now: boolean) => {
    setDrawing(now);
    setPoints([]);
  };
  /** The looped stretch once more: behind itself as often as wanted, or once from the line on. */
  const repeat = (toS: number | null) => {
    if (!partId) return;
    if (!loop) return notify('Drag over the waveform first: the stretch to repeat or to copy.', true);
    void doing.revised((revision) =>
      client.POST('/api/sessions/{session_id}/parts/{part_id}/repeat', {
        params: { path: { session_id: doing.id, part_id: partId } },
        body: { revision, start_s: loop.startS, end_s: loop.endS, times, to_s: toS },
      }),
    );
  };
  const testSame = async () => {
    if (!partId) return;
    const path = { session_id: doing.id, part_id: partId };
    try {
      const found = await take(
        client.GET('/api/sessions/{session_id}/parts/{part_id}/same', { params: { path } }),
      );
      setSame({ partId, found });
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
  };
  const table = useNoteTable(doing, revision);
  const library = useLibrary().data;
  const own = table.data?.lines.find((line) => line.part_id === partId)?.own ?? piece?.note ?? 0;
  const ways = waysOf(
    table.data?.lines ?? [],
    library?.articulations[piece?.id ?? ''] ?? [],
    piece?.id ?? '',
    own,
  );
  const struck = (pick: (note: number) => Way | undefined) => {
    const of = indices();
    const way = columns && of.length ? pick(columns.note[of[0]!]!) : undefined;
    if (!columns || !partId || !of.length)
      return notify('Choose notes first, then say how they were struck.', true);
    if (!way || ways.length < 2) return notify('This drum is struck in one way only.', true);
    void strike(doing, partId, columns, of, way);
  };
  useCommands({
    way: () => struck((note) => (ways.length ? wayAfter(ways, note) : undefined)),
    next: () => step(1),
    previous: () => step(-1),
    up: () => louder(1),
    down: () => louder(-1),
    upFar: () => louder(10),
    downFar: () => louder(-10),
    later: () => nudge(NUDGE_S),
    earlier: () => nudge(-NUDGE_S),
    chooseAll: () =>
      columns && set({ chosenS: columns.time_s.map((_, i) => placeOf(columns, i)), selectedS: null }),
    view: () => onSide(sideAfter(side)),
    before: () => set({ before: !useWindow.getState().before }),
    draw: () => draw(!drawing),
    ghosts: () => addStep('ghosts'),
    even: () => addStep('even'),
    repeat: () => repeat(null),
    copyHere: () => repeat(useWindow.getState().playheadS),
    howOften: () => setTimes((now) => (now >= 16 ? 1 : now * 2)),
    takeBack: takeBack,
    takeOut: remove,
    leave: () => {
      draw(false);
      set({ selectedS: null, chosenS: [] });
    },
  });

  if (!part || !piece || !partId) {
    return (
      <Empty title="Nothing to shape yet" sessionId={doing.id}>
        Gather a recording first; its hits become notes here, as hard and as tight as you want them.
      </Empty>
    );
  }
  const name = about?.name ?? piece.name;
  const shownSame = same?.partId === partId ? same.found : null;
  return (
    <>
      <section className="large">
        {back ? (
          <ChangesBack doing={doing} found={back} names={names} lengthS={lengthS} onLeft={setBack} />
        ) : !columns ? (
          <p className="analysing">Listening to {name.toLowerCase()} …</p>
        ) : side === 'hard' ? (
          <VelocityField
            document={document}
            part={part}
            piece={piece}
            lengthS={lengthS}
            columns={columns}
            same={shownSame}
            drawing={drawing}
            points={points}
            onDrawn={drawn}
            onVelocity={(of, by) => louder(by, of)}
          />
        ) : side === 'when' ? (
          <TimingField piece={piece} columns={columns} onSelect={(place) => goTo(indexOf(place))} />
        ) : (
          <NoteTable doing={doing} partId={partId} columns={columns} lengthS={lengthS} />
        )}
        {/* Nothing to act on before its notes are there. */}
        <div className="under-stage" hidden={!columns && !back}>
          <p className="chosen" data-testid="chosen">
            {before ? (
              <>
                <strong>As played:</strong> nothing is shaped while this is on.
              </>
            ) : chosenS.length ? (
              <>
                <strong>{chosenS.length} chosen:</strong> arrows make them louder and softer; a step works on
                them alone.
              </>
            ) : columns && selected >= 0 ? (
              <Said columns={columns} index={selected} same={shownSame} />
            ) : (
              <span className="quiet">{HINTS[side]}</span>
            )}
          </p>
          <div className="acts">
            <button
              type="button"
              className="look-act"
              aria-pressed={before}
              onClick={() => set({ before: !before })}
              data-testid="before"
            >
              <KeyOf of="before" /> {before ? 'Before' : 'After'}
            </button>
            <button type="button" className="plain-act" onClick={() => step(1)}>
              <KeyOf of="next" /> Next
            </button>
            <button type="button" className="plain-act" onClick={() => louder(1)} aria-label="Louder">
              <KeyOf of="up" />
            </button>
            <button type="button" className="plain-act" onClick={() => louder(-1)}>
              <KeyOf of="down" /> Level
            </button>
            <button type="button" className="plain-act" aria-pressed={drawing} onClick={() => draw(!drawing)}>
              <KeyOf of="draw" /> Draw
            </button>
            <button type="button" className="plain-act" onClick={() => addStep('ghosts')}>
              <KeyOf of="ghosts" /> Ghosts
            </button>
            <button
              type="button"
              className="plain-act"
              onClick={() => repeat(null)}
              title="the looped stretch, behind itself"
            >
              <KeyOf of="repeat" /> Repeat
            </button>
            <button
              type="button"
              className="plain-act"
              onClick={() => setTimes((now) => (now >= 16 ? 1 : now * 2))}
            >
              <KeyOf of="howOften" /> {times} ×
            </button>
            <button
              type="button"
              className="plain-act"
              onClick={() => repeat(useWindow.getState().playheadS)}
              title="the looped stretch, once from the line on"
            >
              <KeyOf of="copyHere" /> Copy
            </button>
            <button
              type="button"
              className="plain-act"
              onClick={remove}
              disabled={selected < 0 && !chosenS.length}
            >
              <KeyOf of="takeOut" /> Delete
            </button>
          </div>
        </div>
      </section>
      <aside className="settings" aria-label="Settings">
        <SideTabs side={side} onSide={onSide} />
        {columns && shape && (
          <>
            {side === 'hard' && drawing && (
              <LineByKeys
                points={points.map(({ time_s, percent }) => ({ time_s, value: percent }))}
                values={PERCENT}
                step={5}
                far={25}
                said={(percent) => `${percent.toFixed(0)} % of what is played`}
                empty="Drag a line over the notes, or put points: each at the play line."
                onPoints={(placed) =>
                  setPoints(placed.map(({ time_s, value }) => ({ time_s, percent: value })))
                }
                onDone={() => draw(false)}
                take={{ says: 'Take the line', ready: points.length > 1, act: () => drawn(points) }}
              />
            )}
            {side === 'hard' && (
              <>
                <StrengthCurve piece={piece} columns={columns} move={move} done={done} leave={leave} />
                <StepList
                  columns={columns}
                  steps={shape.steps ?? []}
                  move={move}
                  done={done}
                  onDraw={() => draw(true)}
                />
                <p className="about same-sounds">
                  {shownSame?.said ?? 'Programmed drums have no dynamics of their own.'}{' '}
                  <button type="button" className="plain-act light" onClick={() => void testSame()}>
                    {shownSame ? 'test again' : 'Are these copies of one sound?'}
                  </button>
                </p>
              </>
            )}
            {side === 'when' && (
              <TimingSettings
                doing={doing}
                document={document}
                partId={partId}
                name={name}
                columns={columns}
                timing={shape.timing ?? { shift_ms: 0 }}
                grid={grid ?? columns.grid}
                onGrid={setGrid}
                move={move}
                done={done}
              />
            )}
            {side === 'which' && (
              <NoteSettings
                doing={doing}
                document={document}
                partId={partId}
                name={name}
                own={own}
                table={table}
                ways={ways}
                chosen={indices().length}
                onWay={(id) => struck(() => ways.find((way) => way.id === id))}
                shape={shape}
                revision={revision}
                done={done}
                onChanges={setBack}
              />
            )}
          </>
        )}
      </aside>
    </>
  );
}

const HINTS: Record<NoteSide, string> = {
  hard:
    'Drag a note up or down, drag over notes to choose them, bend the curve. Velocities set ' +
    'by hand win over every step.',
  when:
    'Each column is a step of the bar, its strokes from the first bar to the last. Above ' +
    'the line is early, below is late.',
  which: 'Type a velocity or a note number into the table. What is set by hand outlives every setting.',
};

function Said({ columns, index, same }: { columns: Columns; index: number; same: Schema['Same'] | null }) {
  const copy = same?.time_s.findIndex((timeS) => Math.abs(timeS - columns.struck_s[index]!) < 0.0005) ?? -1;
  const group = same?.group[copy] ?? -1;
  const strength = columns.strength_db[index];
  const late = columns.late_ms[index]!;
  const place = `bar ${columns.bar[index]} · beat ${columns.beat[index]!.toFixed(2)}`;
  const off =
    Math.abs(late) < 0.05 ? 'on its step' : `${Math.abs(late).toFixed(1)} ms ${late > 0 ? 'late' : 'early'}`;
  return (
    <>
      <strong>{clock(columns.time_s[index]!, 3)}</strong> {place}: velocity {columns.velocity[index]}
      {strength !== null && strength !== undefined
        ? ` from ${strength.toFixed(1).replace('-', '−')} dBFS (the curve says ${columns.played[index]?.toFixed(0)})`
        : ', beside the recording'}
      , {off}
      {columns.by_hand[index] ? ', set by hand' : ''}
      {group >= 0
        ? `, a copy of sound ${LETTERS[group % LETTERS.length]}: ` +
          `${same!.residual_db[copy]!.toFixed(0).replace('-', '−')} dB is left`
        : ''}
      .
    </>
  );
}
