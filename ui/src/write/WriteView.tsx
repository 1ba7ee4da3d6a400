import { useEffect, useMemo, useState } from 'react';
import type { Schema } from '../api/client';
import { KeyOf } from '../commands/KeyOf';
import { pieceKey } from '../commands/catalogue';
import { useCommands } from '../commands/useCommands';
import type { BenchProps } from '../shell/bench';
import { Key } from '../shell/Key';
import { SideTabs, sideAfter, type Side } from '../shape/SideTabs';
import { useWindow } from '../state/window';
import { viewShowing } from '../state/view';
import { BarRow } from './BarRow';
import { BigStaff } from './BigStaff';
import { noteAt, type Line } from './layout';
import { usePlayIn, type Stroke } from './usePlayIn';
import { useWriting, type Do, type Grid } from './useWriting';
import { WriteSettings, type Varying } from './WriteSettings';
import './write.scss';

const FAR = 10;
const NOTHING: Varying = {};

/** Write: a bar on a large staff, by mouse, by letters, or played in. */
export function WriteView(props: BenchProps & { onSide: (side: Side) => void }) {
  const { doing, document, library, pieces, partId, lengthS, onSide } = props;
  const [number, setNumber] = useState(1);
  const [step, setStep] = useState(0);
  const [grid, setGrid] = useState<Grid>({ step: 16, kind: 'straight', swing_percent: 50 });
  const [times, setTimes] = useState(1);
  const [varying, setVarying] = useState<Varying>(NOTHING);
  const [drawn, setDrawn] = useState(0);
  const click = useWindow((state) => state.click);
  const set = useWindow((state) => state.set);
  const notify = useWindow((state) => state.notify);
  const writing = useWriting(props, number, grid);
  const { bar } = writing;
  const line = bar?.lines.find((one) => one.part_id === partId) ?? null;
  const note = noteAt(line ?? undefined, step);
  const count = bar ? bar.steps_s.length - 1 : 16;
  const last = bar?.bars.at(-1)?.last ?? 1;
  const first = bar?.bars[0]?.first ?? 1;

  // The bar that is looked at is the one that loops.
  const [startS, endS] = bar && !writing.stale ? [bar.start_s, bar.end_s] : [null, null];
  useEffect(() => {
    if (startS === null || endS === null || startS < 0) return;
    const { view, playing, playheadS } = useWindow.getState();
    const inside = playheadS >= startS && playheadS < endS;
    set({
      loop: { startS, endS },
      view: viewShowing(view, startS, Math.max(lengthS, endS)),
      ...(playing || inside ? {} : { playheadS: startS }),
    });
    // Only when another bar is looked at.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [startS, endS, set]);
  useEffect(() => () => set({ click: false }), [set]);

  const goTo = (to: number, at = 0) => {
    setNumber(Math.min(Math.max(to, first), Math.max(last, number)));
    setStep(at);
  };
  const move = (by: number) => {
    if (step + by >= count) goTo(number + 1);
    else if (step + by >= 0) setStep(step + by);
    else if (number > first) goTo(number - 1, count - 1);
  };
  const playing = (piece: string): Line | undefined =>
    line?.piece === piece ? line : bar?.lines.find((one) => one.piece === piece);
  const writePiece = async (piece: string) => {
    const wrote = await writing.write({
      step,
      piece,
      part_id: playing(piece)?.part_id ?? null,
      do: 'stroke',
    });
    if (wrote) set({ partId: wrote.part_id });
  };
  const change = (what: Do, velocity: number | null = null) => {
    if (!line) return notify('Choose a part first: its line is where this is written.', true);
    void writing.write({ step, part_id: line.part_id, piece: null, do: what, velocity });
  };
  const louder = (by: number) => {
    if (!note) return notify('Nothing is struck at this step: write it with the letter of its piece.', true);
    change('set', Math.min(Math.max(note.velocity + by, 1), 127));
  };
  const copy = (vary: boolean) => {
    void writing
      .copy({
        bar: number,
        to_bar: last,
        times,
        vary: vary ? (varying as Schema['Vary']) : null,
        // Every revision has a variation of its own.
        seed: props.revision,
      })
      .then((done) => done && setNumber(last));
  };
  const pieceOfNote = (midi: number) => {
    const piece = bar?.pads[midi];
    return piece ? { piece, partId: playing(piece)?.part_id ?? null } : null;
  };
  const playIn = usePlayIn(
    pieces,
    (piece) => playing(piece)?.part_id ?? null,
    pieceOfNote,
    (stroke) => stroke.partId && writing.hear(stroke.partId, stroke.velocity, stroke.note),
    (strokes: Stroke[]) =>
      void writing.played({
        strokes: strokes.map(({ partId, piece, timeS, velocity, note }) => ({
          part_id: partId,
          piece: partId ? null : piece,
          time_s: timeS,
          velocity,
          note,
        })),
        grid,
        drawn_percent: drawn,
      }),
  );
  const togglePlayIn = () => {
    if (playIn.on) {
      playIn.stop();
      return;
    }
    playIn.start();
    if (!bar) return;
    const { playing: going, playAsked } = useWindow.getState();
    const lengthOfBar = bar.end_s - bar.start_s;
    // A bar to count in, where there is one.
    const fromS = Math.max(bar.start_s - lengthOfBar, 0);
    set({
      click: true,
      looping: true,
      loop: { startS: bar.start_s, endS: bar.end_s },
      ...(going ? {} : { playheadS: fromS, playAsked: playAsked + 1 }),
    });
  };
  useCommands(
    {
      next: () => move(1),
      previous: () => move(-1),
      nextBar: () => goTo(number + 1),
      previousBar: () => goTo(number - 1),
      up: () => louder(1),
      down: () => louder(-1),
      upFar: () => louder(FAR),
      downFar: () => louder(-FAR),
      take: () => change('stroke'),
      takeOut: () => note && change('stroke'),
      ghosts: () => change('ghost'),
      accent: () => change('accent'),
      flam: () => change((note?.graces ?? 0) ? 'drag' : 'flam'),
      way: () => change('way'),
      hearIts: () => line && writing.hear(line.part_id, note?.velocity ?? 100, note?.note ?? null),
      add: () => goTo(last),
      repeat: () => copy(false),
      vary: () => copy(true),
      howOften: () => setTimes((now) => (now >= 16 ? 1 : now * 2)),
      emptyBar: () => void writing.empty({ bar: number, to_bar: number, recorded: false }),
      playIn: togglePlayIn,
      ticks: () => set({ click: !useWindow.getState().click }),
      view: () => onSide(sideAfter('write')),
      leave: () => playIn.on && playIn.stop(),
    },
    {
      ...Object.fromEntries(
        [...pieces.values()]
          .filter((piece) => piece.noted)
          .map((piece) => [pieceKey(piece.key), () => void writePiece(piece.id)]),
      ),
      ...Object.fromEntries(
        Array.from({ length: 9 }, (_, k) => [
          `Alt+${k + 1}`,
          () => change(note ? 'set' : 'stroke', Math.round((127 * (k + 1)) / 9)),
        ]),
      ),
    },
  );
  const letters = useMemo(() => {
    const there = new Set(bar?.lines.map((one) => one.piece));
    return [...pieces.values()].filter((piece) => piece.noted && (there.has(piece.id) || KIT.has(piece.id)));
  }, [bar, pieces]);

  return (
    <>
      <section className="large write" aria-label="Write">
        <div className="write-page">
          {writing.problem ? (
            <div className="empty" role="alert">
              <h2>There is no bar to write in yet</h2>
              <p>{writing.problem.message}</p>
            </div>
          ) : bar ? (
            <>
              <BarRow bar={bar} number={number} onBar={(to) => goTo(to)} />
              <BigStaff
                bar={bar}
                pieces={pieces}
                partId={partId}
                step={Math.min(step, count - 1)}
                playing={playIn.strokes}
                onStep={(to, of) => {
                  setStep(to);
                  if (of) set({ partId: of });
                }}
                onWrite={(to, of) => void writing.write({ step: to, part_id: of, piece: null, do: 'stroke' })}
                onVelocity={(to, of, velocity) =>
                  void writing.write({ step: to, part_id: of, piece: null, do: 'set', velocity })
                }
              />
            </>
          ) : (
            <p className="analysing">Reading the bar …</p>
          )}
        </div>
        <div className="under-stage" hidden={Boolean(writing.problem)}>
          <p className="chosen" data-testid="chosen">
            {playIn.on ? (
              <>
                <strong>Playing in:</strong> each letter is its drum, {playIn.strokes.length}{' '}
                {playIn.strokes.length === 1 ? 'stroke' : 'strokes'} so far. They are kept when you stop.
              </>
            ) : note && line ? (
              <>
                <strong>{line.name}</strong> at {bar?.labels[step]} of bar {number}: velocity {note.velocity}
                {note.kind === 'plain' ? '' : `, ${note.kind === 'ghost' ? 'a ghost' : 'an accent'}`}
                {note.graces ? `, ${note.graces === 1 ? 'a flam' : 'a drag'}` : ''}
                {note.way ? `, ${note.way}` : ''}
                {note.recorded ? ', as it was recorded' : ', written'}
                {Math.abs(note.late_ms) < 0.05
                  ? ', on its step.'
                  : `, ${Math.abs(note.late_ms).toFixed(1)} ms ${note.late_ms > 0 ? 'after' : 'before'} its step.`}
              </>
            ) : (
              <span className="quiet">
                Click on the staff, or press Shift and a letter: it is written at the step, and once more
                takes it away. Drag the bars below for how hard.
              </span>
            )}
          </p>
          <div className="acts letters">
            <Key>Shift</Key>
            {letters.map((piece) => (
              <button
                key={piece.id}
                type="button"
                className="plain-act"
                aria-label={`Write ${piece.name.toLowerCase()}`}
                onClick={() => void writePiece(piece.id)}
              >
                <Key painted>{piece.key.toUpperCase()}</Key> {piece.name.toLowerCase()}
              </button>
            ))}
          </div>
          <div className="acts">
            <button
              type="button"
              className="look-act"
              aria-pressed={playIn.on}
              onClick={togglePlayIn}
              data-testid="play-in"
            >
              <KeyOf of="playIn" /> {playIn.on ? 'Stop' : 'Play it in'}
            </button>
            <Act of="ghosts" onDo={() => change('ghost')} says="Ghost" />
            <Act of="accent" onDo={() => change('accent')} says="Accent" />
            <Act of="flam" onDo={() => change((note?.graces ?? 0) ? 'drag' : 'flam')} says="Flam" />
            <Act of="way" onDo={() => change('way')} says="Way" />
            <Act of="repeat" onDo={() => copy(false)} says="Again" />
            <Act of="vary" onDo={() => copy(true)} says="Vary" />
            <Act
              of="howOften"
              onDo={() => setTimes((now) => (now >= 16 ? 1 : now * 2))}
              says={`${times} ×`}
            />
          </div>
        </div>
      </section>
      <aside className="settings" aria-label="Settings">
        <SideTabs side="write" onSide={onSide} />
        <WriteSettings
          doing={doing}
          document={document}
          library={library}
          overview={props.overview}
          bar={bar ?? null}
          number={number}
          grid={grid}
          onGrid={(next) => {
            setGrid(next);
            setStep(0);
          }}
          varying={varying}
          onVarying={setVarying}
          drawn={drawn}
          onDrawn={setDrawn}
          click={click}
          writing={writing}
        />
      </aside>
    </>
  );
}

// Pieces of a usual kit can be written though no microphone heard them.
const KIT = new Set(['kick', 'snare', 'hi-hat', 'floor-tom', 'rack-tom', 'crash', 'ride']);

function Act({ of, says, onDo }: { of: Parameters<typeof KeyOf>[0]['of']; says: string; onDo: () => void }) {
  return (
    <button type="button" className="plain-act" onClick={onDo}>
      <KeyOf of={of} /> {says}
    </button>
  );
}
