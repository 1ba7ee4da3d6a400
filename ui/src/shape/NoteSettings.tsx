import { NOTE_ENDINGS, readsNotes } from '../gather/useDrop';
import { limitOf } from '../api/limit';
import { useRef } from 'react';
import { Form } from 'react-bootstrap';
import { Refusal, type Document, type ProblemBody, type Schema, post } from '../api/client';
import type { Doing } from '../api/session';
import { Setting } from '../find/Setting';
import { DragFile } from '../print/DragFile';
import { FileInput } from '../shell/FileInput';
import { useWindow } from '../state/window';
import { useNoteName } from '../stage/noteName';
import { LiveOut } from './LiveOut';
import { MapShelf } from './MapShelf';
import { counted } from '../shell/counted';
import type { NoteTableQuery } from './useWays';
import type { Way } from './ways';
import type { Changes, ShapeSettings } from './useShape';

const LENGTHS = [
  ['fixed', 'fixed, in beats'],
  ['next', 'to the next note'],
  ['ring', 'as long as it rings'],
] as const;

interface Props {
  doing: Doing;
  document: Document;
  partId: string;
  name: string;
  /** The note it is written as where nothing is set. */
  own: number;
  table: NoteTableQuery;
  ways: Way[];
  /** How many notes are chosen, and how to say the way they were struck. */
  chosen: number;
  onWay: (id: string) => void;
  shape: ShapeSettings;
  revision: number;
  done: (changes: Changes) => Promise<void>;
  onChanges: (found: Schema['ChangesFromMidi']) => void;
}

/**
 * Which note: number, channel and length of the part, the session's note map, and MIDI on its way out and
 * back.
 */
export function NoteSettings(props: Props) {
  const { doing, document, partId, name, own, table, ways, chosen, onWay, shape, revision } = props;
  const { done, onChanges } = props;
  const set = useWindow((state) => state.set);
  const middleC = useWindow((state) => state.middleC);
  const notify = useWindow((state) => state.notify);
  const noteName = useNoteName();
  const back = useRef<HTMLInputElement | null>(null);
  const strange = useRef<HTMLInputElement | null>(null);
  const map = useRef<HTMLInputElement | null>(null);
  const base = `/api/sessions/${doing.id}/print`;
  const bringBack = async (file: File) => {
    try {
      const response = await post(`/api/sessions/${doing.id}/midi/changes`, file);
      const body = (await response.json()) as unknown;
      if (!response.ok) throw new Refusal(body as ProblemBody, response.status);
      onChanges(body as Schema['ChangesFromMidi']);
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
  };
  const bringMap = async (file: File) => {
    try {
      const response = await post(`/api/note-map?name=${encodeURIComponent(file.name)}`, file);
      const body = (await response.json()) as unknown;
      if (!response.ok) throw new Refusal(body as ProblemBody, response.status);
      const { note_map, skipped } = body as Schema['NoteMapRead'];
      await doing.act({ kind: 'set_note_map', note_map });
      if (skipped.length) notify(`Skipped: ${skipped.join(' ')}`, true);
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
  };
  const mapped = (pieceId: string, note: number) => {
    const now = document.note_map ?? { name: 'General MIDI', notes: {} };
    const renamed = now.name === 'General MIDI' ? 'Own map' : now.name;
    void doing.act({
      kind: 'set_note_map',
      note_map: { name: renamed!, notes: { ...now.notes, [pieceId]: note } },
    });
  };
  const written = (line: Schema['NoteLine'], note: number) =>
    line.key
      ? mapped(line.key, note)
      : void doing.act({ kind: 'set_shape', part_id: line.part_id!, changes: { note } });
  return (
    <>
      <div className="column-head">
        <span>{name} is written as</span>
      </div>
      <div className="note-lines">
        <Form.Label htmlFor="part-note">Note</Form.Label>
        <Form.Select
          id="part-note"
          size="sm"
          value={shape.note ?? ''}
          onChange={(event) =>
            void done({ note: event.target.value === '' ? null : Number(event.target.value) })
          }
        >
          <option value="">its own: {noteName(own)}</option>
          {Array.from({ length: 128 }, (_, note) => (
            <option key={note} value={note}>
              {noteName(note)} {table.data?.called[String(note)] ?? ''}
            </option>
          ))}
        </Form.Select>
        <Form.Label htmlFor="part-channel">Channel</Form.Label>
        <Form.Select
          id="part-channel"
          size="sm"
          value={shape.channel ?? 10}
          onChange={(event) => void done({ channel: Number(event.target.value) })}
        >
          {Array.from({ length: 16 }, (_, channel) => (
            <option key={channel} value={channel + 1}>
              {channel + 1}
              {channel === 9 ? ', drums' : ''}
            </option>
          ))}
        </Form.Select>
        <Form.Label htmlFor="part-length">Length</Form.Label>
        <Form.Select
          id="part-length"
          size="sm"
          value={shape.length ?? 'fixed'}
          onChange={(event) => void done({ length: event.target.value as ShapeSettings['length'] })}
        >
          {LENGTHS.map(([value, word]) => (
            <option key={value} value={value}>
              {word}
            </option>
          ))}
        </Form.Select>
        {ways.length > 1 && (
          <>
            <Form.Label htmlFor="notes-struck">Struck</Form.Label>
            <Form.Select
              id="notes-struck"
              size="sm"
              value=""
              title="of the chosen notes"
              disabled={!chosen}
              onChange={(event) => onWay(event.target.value)}
            >
              <option value="">
                {chosen ? `${counted(chosen, 'chosen note')} …` : 'choose notes first'}
              </option>
              {ways.map((way) => (
                <option key={way.id} value={way.id}>
                  {way.name}: {noteName(way.note)}
                </option>
              ))}
            </Form.Select>
          </>
        )}
      </div>
      <Setting
        name={shape.length === 'fixed' || !shape.length ? 'Beats' : 'At most'}
        value={shape.length_beats ?? 0.5}
        limit={limitOf('ShapeSettings', 'length_beats')}
        about="0.5 is an eighth"
        onDone={(value) => void done({ length_beats: value })}
      />
      <div className="column-head spaced">
        <span>MIDI out and back</span>
      </div>
      <div className="midi-drag">
        <DragFile href={`${base}/midi?part=${partId}`} name={`${document.name} - ${name}.mid`}>
          {name}
        </DragFile>
        <DragFile href={`${base}/midi`} name={`${document.name}.mid`}>
          All parts
        </DragFile>
      </div>
      <p className="about">
        Drag one out of the page, or click it. Changed it elsewhere?{' '}
        <button type="button" className="plain-act light" onClick={() => back.current?.click()}>
          Bring it back
        </button>
        . Another file or a list of hits:{' '}
        <button type="button" className="plain-act light" onClick={() => strange.current?.click()}>
          bring it in as parts
        </button>
        .
      </p>
      <LiveOut id={doing.id} revision={revision} />
      <div className="column-head spaced">
        <span>Note map “{document.note_map?.name ?? 'General MIDI'}”</span>
        <button
          type="button"
          className="plain-act light"
          title="Programs disagree what note 60 is called"
          onClick={() => {
            const next = middleC === 3 ? 4 : middleC === 4 ? 5 : 3;
            localStorage.setItem('nubrak-middle-c', String(next));
            set({ middleC: next });
          }}
        >
          60 is C{middleC}
        </button>
      </div>
      <table className="note-map" data-testid="note-map">
        <tbody>
          {table.data?.lines.map((line) => (
            <tr key={line.key ?? line.part_id} title={line.called} className={line.way ? 'way' : ''}>
              <td>{line.name}</td>
              <td>
                <input
                  className="cell"
                  inputMode="numeric"
                  aria-label={`Note of ${line.name} in the map`}
                  defaultValue={line.note}
                  key={line.note}
                  onFocus={(event) => event.target.select()}
                  onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
                  onBlur={(event) => {
                    const note = Math.round(Number(event.target.value));
                    if (Number.isFinite(note) && note >= 0 && note <= 127 && note !== line.note)
                      written(line, note);
                    else event.target.value = String(line.note);
                  }}
                />
                <span className="quiet">{noteName(line.note).split(' · ')[1]}</span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="about">
        <a href={`${base}/note-map`} download>
          Take the map along
        </a>
        {' · '}
        <button type="button" className="plain-act light" onClick={() => map.current?.click()}>
          bring one in
        </button>
      </p>
      <MapShelf doing={doing} document={document} />
      <FileInput
        innerRef={back}
        testId="midi-back"
        accept=".mid,.midi,audio/midi"
        onFile={(file) => void bringBack(file)}
      />
      <FileInput
        innerRef={strange}
        testId="midi-parts"
        accept={NOTE_ENDINGS}
        onFile={(file) => void doing.bring(readsNotes(file.name) ?? 'hits', file)}
      />
      <FileInput
        innerRef={map}
        testId="note-map-file"
        accept=".csv,text/csv"
        onFile={(file) => void bringMap(file)}
      />
    </>
  );
}
