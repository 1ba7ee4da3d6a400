import type { Schema } from '../api/client';
import { newId, type Doing } from '../api/session';
import { useWindow } from '../state/window';
import { viewShowing } from '../state/view';
import { clock } from '../stage/axes';

type Found = Schema['ChangesFromMidi'];
type Proposal = Schema['Proposal'];

const WORDS = { changed: 'changed', deleted: 'deleted', added: 'new' } as const;

interface Props {
  doing: Doing;
  found: Found;
  names: Map<string, string>;
  lengthS: number;
  onLeft: (found: Found | null) => void;
}

/** A MIDI file that came back: every note that is different, to be taken one by one or in whole. */
export function ChangesBack({ doing, found, names, lengthS, onLeft }: Props) {
  const { proposals, same, strange, said, tempo } = found;
  const takeOver = async (chosen: Proposal[]) => {
    const marks: Record<string, Record<string, Schema['MarkChange']>> = {};
    const notes: Record<string, Record<string, Schema['PatternNote']>> = {};
    const remove: Record<string, string[]> = {};
    for (const one of chosen) {
      if (one.mark) (marks[one.part_id] ??= {})[newId()] = one.mark;
      else if (one.note) (notes[one.part_id] ??= {})[one.note_id ?? newId()] = one.note;
      else if (one.note_id) (remove[one.part_id] ??= []).push(one.note_id);
    }
    if (!(await doing.act({ kind: 'take_changes', marks, notes, remove }))) return;
    const left = proposals.filter((one) => !chosen.includes(one));
    onLeft(left.length ? { ...found, proposals: left, same: same + chosen.length } : null);
  };
  const takeTempo = async () => {
    if (!tempo) return;
    const { bpm, beats_per_bar, beat_unit, changes } = tempo;
    const values = { bpm, beats_per_bar, beat_unit, changes } as Schema['SetTempo']['changes'];
    if (await doing.act({ kind: 'set_tempo', changes: values })) onLeft({ ...found, tempo: null, said: [] });
  };
  const goTo = (one: Proposal) =>
    useWindow.getState().set({
      partId: one.part_id,
      selectedS: one.mark?.to_s ?? one.mark?.time_s ?? one.time_s,
      playheadS: one.time_s,
      view: viewShowing(useWindow.getState().view, one.time_s, lengthS),
    });
  return (
    <div className="changes-back" data-testid="changes">
      <header>
        <h2>
          {proposals.length
            ? `${proposals.length} note${proposals.length === 1 ? '' : 's'} came back different`
            : tempo
              ? 'Only the tempo differs'
              : 'Nothing was changed in this file'}
        </h2>
        <p className="about">
          {same} {same === 1 ? 'is' : 'are'} as {same === 1 ? 'it' : 'they'} left.{' '}
          {strange.length > 0 && `No part of this session: ${strange.join(', ')}. `}
          {said.join(' ')}
        </p>
        <p className="acts">
          {proposals.length > 0 && (
            <button type="button" className="look-act solo" onClick={() => void takeOver(proposals)}>
              Take all of them
            </button>
          )}
          {tempo && (
            <button type="button" className="look-act solo" onClick={() => void takeTempo()}>
              Take the tempo, {tempo.bpm?.toFixed(1)} bpm
            </button>
          )}
          <button type="button" className="plain-act" onClick={() => onLeft(null)}>
            {proposals.length ? 'Leave the rest' : 'Close'}
          </button>
        </p>
      </header>
      <ul>
        {proposals.slice(0, 400).map((one, index) => (
          <li key={`${one.part_id} ${one.time_s} ${index}`}>
            <button type="button" className="plain-act number" onClick={() => goTo(one)}>
              {clock(one.time_s, 3)}
            </button>
            <span>{names.get(one.part_id)}</span>
            <span className="quiet">{WORDS[one.kind]}</span>
            <span>{one.kind === 'deleted' ? '' : one.text}</span>
            <button
              type="button"
              className="plain-act light"
              aria-label={`Take the change at ${clock(one.time_s, 3)}`}
              onClick={() => void takeOver([one])}
            >
              take it
            </button>
          </li>
        ))}
      </ul>
      {proposals.length > 400 && (
        <p className="about">The first 400 are shown; take them all, or come back to the rest.</p>
      )}
    </div>
  );
}
