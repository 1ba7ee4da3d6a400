import { useEffect, useMemo, useRef, useState } from 'react';
import type { Schema } from '../api/client';
import { newId, type Doing } from '../api/session';
import { useWindow } from '../state/window';
import { viewShowing } from '../state/view';
import { clock } from '../stage/axes';
import { useNoteName } from '../stage/noteName';
import { placeOf, type Columns } from './useShape';

const ROW = 27;
const AROUND = 6;

interface Props {
  doing: Doing;
  partId: string;
  columns: Columns;
  lengthS: number;
}

/**
 * Every note as a line of a table: velocity and note can be typed, what was set by hand can be taken back.
 */
export function NoteTable({ doing, partId, columns, lengthS }: Props) {
  const selectedS = useWindow((state) => state.selectedS);
  const chosenS = useWindow((state) => state.chosenS);
  const set = useWindow((state) => state.set);
  const noteName = useNoteName();
  const [top, setTop] = useState(0);
  const [tall, setTall] = useState(500);
  const box = useRef<HTMLDivElement | null>(null);
  const count = columns.time_s.length;
  const first = Math.max(Math.floor(top / ROW) - AROUND, 0);
  const last = Math.min(Math.ceil((top + tall) / ROW) + AROUND, count);
  const chosen = useMemo(() => new Set(chosenS), [chosenS]);
  const at = useMemo(
    () =>
      selectedS === null
        ? -1
        : columns.time_s.findIndex((_, i) => Math.abs(placeOf(columns, i) - selectedS) < 1e-4),
    [columns, selectedS],
  );
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setTall(element.clientHeight));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  useEffect(() => {
    const element = box.current;
    if (!element || at < 0) return;
    if (at * ROW < element.scrollTop) element.scrollTop = at * ROW;
    else if ((at + 2) * ROW > element.scrollTop + element.clientHeight)
      element.scrollTop = (at + 2) * ROW - element.clientHeight;
  }, [at]);

  return (
    <div
      className="note-table"
      ref={box}
      data-testid="note-table"
      onScroll={(event) => setTop(event.currentTarget.scrollTop)}
    >
      <table>
        <thead>
          <tr>
            <th>bar · beat</th>
            <th>sounds at</th>
            <th>strength</th>
            <th>played</th>
            <th>velocity</th>
            <th>note</th>
            <th>off grid</th>
            <th>length</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {first > 0 && <tr style={{ height: first * ROW }} aria-hidden />}
          {columns.time_s.slice(first, last).map((timeS, offset) => {
            const i = first + offset;
            const place = placeOf(columns, i);
            const recorded = columns.found_s[i] !== null;
            return (
              <tr
                key={`${timeS} ${columns.note[i]} ${i}`}
                className={i === at || chosen.has(place) ? 'chosen' : ''}
                onClick={() =>
                  set({
                    selectedS: place,
                    chosenS: [],
                    playheadS: place,
                    view: viewShowing(useWindow.getState().view, place, lengthS),
                  })
                }
              >
                <td>
                  {columns.bar[i]} · {columns.beat[i]!.toFixed(2)}
                </td>
                <td>{clock(timeS, 4)}</td>
                <td>
                  {recorded ? `${columns.strength_db[i]!.toFixed(1).replace('-', '−')} dB` : 'not recorded'}
                </td>
                <td>{columns.played[i]?.toFixed(0) ?? ''}</td>
                <td>
                  <NumberCell
                    label={`Velocity of the note at ${clock(timeS, 3)}`}
                    value={columns.velocity[i]!}
                    least={1}
                    onDone={(value) =>
                      void setNotes(doing, partId, columns, [i], () => ({ velocity: value }))
                    }
                  />
                </td>
                <td>
                  <NumberCell
                    label={`Note number of the note at ${clock(timeS, 3)}`}
                    value={columns.note[i]!}
                    least={0}
                    onDone={(value) =>
                      void setNotes(doing, partId, columns, [i], () => ({
                        note: value === columns.number ? null : value,
                      }))
                    }
                  />
                  <span className="quiet">{noteName(columns.note[i]!).split(' · ')[1]}</span>
                </td>
                <td>
                  {`${columns.late_ms[i]! >= 0 ? '+' : ''}${columns.late_ms[i]!.toFixed(1)}`.replace(
                    '-',
                    '−',
                  )}{' '}
                  ms
                </td>
                <td>{(columns.length_s[i]! * 1000).toFixed(0)} ms</td>
                <td>
                  {columns.by_hand[i] && (
                    <button
                      type="button"
                      className="plain-act light"
                      onClick={() =>
                        void setNotes(doing, partId, columns, [i], () => ({
                          velocity: null,
                          note: null,
                          note_s: null,
                        }))
                      }
                    >
                      by hand: take back
                    </button>
                  )}
                  {columns.pattern_id[i] && <span className="quiet">beside the recording</span>}
                </td>
              </tr>
            );
          })}
          {last < count && <tr style={{ height: (count - last) * ROW }} aria-hidden />}
        </tbody>
      </table>
    </div>
  );
}

function NumberCell({
  label,
  value,
  least,
  onDone,
}: {
  label: string;
  value: number;
  least: number;
  onDone: (value: number) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const take = () => {
    const number = Math.round(Number(typed));
    if (typed?.trim() && Number.isFinite(number) && number !== value)
      onDone(Math.min(Math.max(number, least), 127));
    setTyped(null);
  };
  return (
    <input
      className="cell"
      inputMode="numeric"
      aria-label={label}
      value={typed ?? String(value)}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === 'Enter') event.currentTarget.blur();
        if (event.key === 'Escape') setTyped(null);
      }}
    />
  );
}

export type ByHand = Omit<Schema['NoteByHand'], 'time_s'>;

/**
 * Set velocity, note or place of notes by hand: of recorded strokes as marks, of those beside them as they
 * are.
 */
export async function setNotes(
  doing: Doing,
  partId: string,
  columns: Columns,
  indices: number[],
  change: (index: number) => ByHand,
): Promise<void> {
  const recorded: Record<string, Schema['NoteByHand']> = {};
  const beside: Record<string, Schema['PatternNote']> = {};
  for (const i of indices) {
    const wanted = change(i);
    const foundS = columns.found_s[i];
    if (foundS !== null && foundS !== undefined) recorded[newId()] = { ...wanted, time_s: foundS };
    else {
      const note = wanted.note ?? (columns.note[i] === columns.number ? null : columns.note[i]);
      const letGo = wanted.velocity === null && wanted.note === null && wanted.note_s === null;
      beside[columns.pattern_id[i]!] = {
        time_s: letGo ? columns.struck_s[i]! : (wanted.note_s ?? columns.time_s[i]!),
        velocity: wanted.velocity ?? (letGo ? Math.round(columns.played[i]!) : columns.velocity[i]!),
        note: letGo || wanted.note === null ? null : (note ?? null),
        fixed: !letGo,
      };
    }
  }
  if (Object.keys(recorded).length) await doing.act({ kind: 'set_notes', part_id: partId, notes: recorded });
  if (Object.keys(beside).length)
    await doing.act({ kind: 'set_pattern', part_id: partId, notes: beside, remove: [] });
}
