import { useCallback, useMemo, useRef, useState, type ReactNode } from 'react';
import { KeyOf } from '../commands/KeyOf';
import { useCommands } from '../commands/useCommands';
import type { BenchProps } from '../shell/bench';
import { clock, knownTempo, timeToX } from '../stage/axes';
import { Canvas, type Draw } from '../stage/Canvas';
import { drawTimeGround, type Box } from '../stage/ground';
import { inks } from '../stage/heads';
import { onLine } from '../stage/redraws';
import { useGesture } from '../stage/useGesture';
import { useWheel } from '../stage/useWheel';
import { useWindow } from '../state/window';
import {
  barS,
  bpmToY,
  dragTempo,
  nearestBar,
  pointsOf,
  rangeBpm,
  withoutPoint,
  withPoint,
  type Scene,
  type TempoDrag,
  type TempoPoint,
} from './tempoLine';

const LEFT = 64;
const RIGHT = 16;
const TOP = 22;
const STROKES = 44;
/** A nudge by key, and a far one, in beats a minute. */
const STEP_BPM = 0.1;
const FAR_BPM = 1;
/** So many points are named one by one under the line. */
const MOST_NAMED = 400;

const boxOf = (width: number, height: number): Box => ({
  left: LEFT,
  top: TOP,
  width: width - LEFT - RIGHT,
  height: Math.max(height - TOP - STROKES - 12, 60),
});

interface Props extends BenchProps {
  head: ReactNode;
  form: ReactNode;
}

/** The tempo as a line of points over the bars, over the strokes it is to fit. */
export function TempoView({ doing, document, overview, lengthS, head, form }: Props) {
  const tempo = knownTempo(document);
  const night = useWindow((state) => state.night);
  const view = useWindow((state) => state.view);
  const kept = useMemo(() => (tempo ? pointsOf(tempo) : []), [tempo]);
  // What is dragged is seen at once; what is kept comes with the next revision.
  const [shown, setShown] = useState<{ of: TempoPoint[]; points: TempoPoint[] } | null>(null);
  const points = shown?.of === kept ? shown.points : kept;
  const [at, setAt] = useState(0);
  const chosen = Math.min(at, points.length - 1);
  // The axis stands still while a point is dragged.
  const range = useMemo(() => rangeBpm(kept.length ? kept : [{ bar: 1, bpm: 120 }]), [kept]);
  const strokes = useMemo(() => (overview?.parts ?? []).flatMap((part) => part.time_s), [overview]);

  const keep = (next: TempoPoint[], bar?: number) => {
    setShown({ of: kept, points: next });
    if (bar !== undefined)
      setAt(
        Math.max(
          next.findIndex((one) => one.bar === bar),
          0,
        ),
      );
    void doing.act({ kind: 'set_tempo_line', points: next }).then((done) => done || setShown(null));
  };
  const nudge = (by: number) => {
    const point = points[chosen];
    if (point) keep(withPoint(points, point.bar, point.bpm + by), point.bar);
  };
  const choose = (index: number) => {
    const point = points[index];
    if (!point || !tempo) return;
    setAt(index);
    useWindow.getState().set({ playheadS: Math.min(barS(tempo, point.bar), lengthS) });
  };
  const move = (by: number) => {
    const point = points[chosen];
    const bar = point && Math.round(point.bar + by);
    if (!point || chosen === 0 || !bar || bar < 2) return;
    keep(withPoint(withoutPoint(points, chosen), bar, point.bpm), bar);
  };
  const add = () => {
    if (!tempo) return;
    const bar = nearestBar(tempo, useWindow.getState().playheadS);
    keep(withPoint(points, bar), bar);
  };
  const remove = () => {
    if (chosen > 0) keep(withoutPoint(points, chosen), points[chosen - 1]!.bar);
  };
  useCommands({
    previous: () => choose(Math.max(chosen - 1, 0)),
    next: () => choose(Math.min(chosen + 1, points.length - 1)),
    up: () => nudge(STEP_BPM),
    down: () => nudge(-STEP_BPM),
    upFar: () => nudge(FAR_BPM),
    downFar: () => nudge(-FAR_BPM),
    earlier: () => move(-1),
    later: () => move(1),
    add,
    takeOut: remove,
  });

  const draw = useCallback<Draw>(
    (context, width, height) => {
      const look = inks(night);
      const box = boxOf(width, height);
      const x = (timeS: number) => timeToX(timeS, view, box.left, box.width);
      context.font = '12px "Recursive Variable", monospace';
      context.textBaseline = 'middle';
      const under: Box = { ...box, top: box.top + box.height + 12, height: STROKES - 12 };
      drawTimeGround(context, look, { view, loop: null, looping: false, tempo }, [box, under]);
      context.fillStyle = look.quiet;
      context.textAlign = 'right';
      const [low, high] = range;
      const step = [0.5, 1, 2, 5, 10, 20, 50].find((one) => (high - low) / one <= 7) ?? 50;
      for (let bpm = Math.ceil(low / step) * step; bpm <= high; bpm += step) {
        const y = bpmToY(bpm, { box, range });
        context.fillStyle = look.faint;
        context.fillRect(box.left, y, box.width, 1);
        context.fillStyle = look.quiet;
        context.fillText(step < 1 ? bpm.toFixed(1) : String(Math.round(bpm)), box.left - 10, y);
      }
      context.textAlign = 'left';
      context.save();
      context.beginPath();
      context.rect(box.left - 8, 0, box.width + 16, height);
      context.clip();
      context.fillStyle = look.soft;
      for (const timeS of strokes) {
        const at = x(timeS);
        if (at > box.left - 2 && at < box.left + box.width + 2)
          context.fillRect(at - 0.75, under.top, 1.5, under.height);
      }
      if (tempo) {
        const places = points.map((one) => x(barS(tempo, one.bar)));
        context.strokeStyle = look.ink;
        context.lineWidth = 2;
        context.beginPath();
        context.moveTo(Math.min(places[0]!, box.left), bpmToY(points[0]!.bpm, { box, range }));
        points.forEach((one, index) => {
          const y = bpmToY(one.bpm, { box, range });
          context.lineTo(places[index]!, y);
          context.lineTo(places[index + 1] ?? box.left + box.width, y);
        });
        context.stroke();
        points.forEach((one, index) => {
          const [at, y] = [places[index]!, bpmToY(one.bpm, { box, range })];
          if (at < box.left - 12 || at > box.left + box.width + 12) return;
          const here = index === chosen;
          context.beginPath();
          context.arc(at, y, here ? 7 : 4.5, 0, 2 * Math.PI);
          context.fillStyle = here ? look.ink : look.paper;
          context.fill();
          context.lineWidth = 1.6;
          context.stroke();
          if (here) {
            const said = `${one.bpm.toFixed(2)}`;
            context.font = '700 13px "Recursive Variable", monospace';
            const left = Math.min(at + 12, box.left + box.width - context.measureText(said).width);
            context.fillStyle = look.ink;
            context.fillText(said, left, y - 16);
          }
        });
      }
      context.fillStyle = look.ink;
      context.fillRect(x(useWindow.getState().playheadS) - 0.75, box.top - 4, 1.5, box.height + STROKES + 4);
      context.restore();
    },
    [night, view, tempo, range, strokes, points, chosen],
  );
  const handlers = useGesture<TempoDrag>(null, (drag, { kind, x, y, width, height }) => {
    if (!tempo) return null;
    const scene: Scene = { tempo, points: kept, view, box: boxOf(width, height), range };
    const [next, effects] = dragTempo(drag, { kind, x, y }, scene);
    for (const effect of effects) {
      if (effect.kind === 'choose') choose(effect.index);
      if (effect.kind === 'add') keep(withPoint(kept, effect.bar, effect.bpm), effect.bar);
      if (effect.kind === 'show') setShown(effect.points && { of: kept, points: effect.points });
      if (effect.kind === 'keep') keep(effect.points);
    }
    return next;
  });
  const holder = useRef<HTMLDivElement | null>(null);
  useWheel(holder, boxOf, lengthS);
  return (
    <>
      <section className="large gather tempo" aria-label="Tempo">
        <div className="gather-head">{head}</div>
        {tempo ? (
          <>
            <div
              ref={holder}
              className="tempo-stage"
              role="img"
              data-testid="tempo-line"
              aria-label={`Tempo over the bars, in ${points.length} ${points.length === 1 ? 'step' : 'steps'}`}
              {...handlers}
            >
              <Canvas draw={draw} on={onLine} />
            </div>
            <p className="tempo-keys about">
              <KeyOf of="add" /> a point at the line <KeyOf of="up" /> <KeyOf of="down" /> faster, slower{' '}
              <KeyOf of="earlier" /> <KeyOf of="later" /> to another bar <KeyOf of="takeOut" /> take it away.
              Or click and drag. No stroke moves by it.
            </p>
          </>
        ) : (
          <p className="about">No tempo yet, so there are no bars. Type, tap or detect one.</p>
        )}
      </section>
      <aside className="settings" aria-label="Settings">
        {form}
        {tempo && (
          <>
            <div className="column-head">
              <span>Its points</span>
              <span className="number push">{points.length}</span>
            </div>
            <ul className="tempo-points" data-testid="tempo-points">
              {points.slice(0, MOST_NAMED).map((one, index) => (
                <li key={one.bar}>
                  <button
                    type="button"
                    className="plain-act light"
                    aria-pressed={index === chosen}
                    onClick={() => choose(index)}
                  >
                    bar {Number.isInteger(one.bar) ? one.bar : one.bar.toFixed(2)}
                  </button>
                  <span className="number">{one.bpm.toFixed(2)} bpm</span>
                  <span className="number quiet">{clock(barS(tempo, one.bar))}</span>
                </li>
              ))}
            </ul>
          </>
        )}
      </aside>
    </>
  );
}
