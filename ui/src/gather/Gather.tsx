import { KeyOf } from '../commands/KeyOf';
import { useCallback, useMemo, useRef, useState } from 'react';
import { Button } from 'react-bootstrap';
import type { Document } from '../api/client';
import { isTold, orderedParts, type BenchProps } from '../shell/bench';
import { Key } from '../shell/Key';
import { PieceMark } from '../shell/PieceMark';
import { pieceKey } from '../commands/catalogue';
import { useCommands } from '../commands/useCommands';
import type { Keys } from '../commands/useKeys';
import { useWindow } from '../state/window';
import { Lane } from '../stage/Lane';
import { Asked } from './Asked';
import { Company } from './Company';
import { Microphones } from './Microphones';
import { useNavigate } from 'react-router';
import { Live } from '../live/Live';
import { FirstLook } from './FirstLook';
import { Names } from './Names';
import { placeBeside } from './rowDrag';
import { LookFor } from './LookFor';
import { Together } from './Together';
import { newId } from '../api/session';
import { Unheard } from './Unheard';
import { useRowDrag } from './useRowDrag';
import { Record } from '../record/Record';
import { SessionForm } from './SessionForm';
import { SpillMapView } from './SpillMapView';
import { Takes } from './Takes';
import { TempoView } from './TempoView';
import { NOTE_ENDINGS, ofFolder, useDrop } from './useDrop';
import './gather.scss';
import { Progress } from '../shell/Progress';

const VIEWS = ['sources', 'tempo', 'map', 'record', 'live'] as const;
type View = (typeof VIEWS)[number];
const NAMES: { [view in View]: string } = {
  sources: 'Sources',
  tempo: 'Tempo',
  map: 'Spill map',
  record: 'Record',
  live: 'Live',
};

/** Where the clips of the other sources begin and end, in seconds. */
function edgesBeside(document: Document, sourceId: string): number[] {
  const others = Object.entries(document.sources ?? {}).filter(([id]) => id !== sourceId);
  return others.flatMap(([, one]) =>
    one.clips.flatMap((clip) => [clip.start_s ?? 0, (clip.start_s ?? 0) + clip.length_s]),
  );
}

/** Gather: what was recorded? Every source as a lane on the time line, with its piece. */
export function Gather(props: BenchProps) {
  const { doing, document, overview, pieces, library } = props;
  // What was told from a recording stands under it: here the recording itself is spoken of.
  const partId = props.part?.sorted_from ?? props.partId;
  const part = (partId && document.parts?.[partId]) || null;
  const set = useWindow((state) => state.set);
  const uploads = useWindow((state) => state.uploads);
  const chooser = useRef<HTMLInputElement | null>(null);
  const folderChooser = useRef<HTMLInputElement | null>(null);
  const [shown, setShown] = useState<View>('sources');
  const mapShown = shown === 'map';
  const [asking, setAsking] = useState<string | null>(null);
  const [sourceId, setSourceId] = useState<string | null>(null);
  const rows = useMemo(
    () =>
      orderedParts(document)
        .filter(([, one]) => !one.sorted_from)
        .flatMap(([id, one]) => one.sources.map((source) => ({ id, one, source }))),
    [document],
  );
  const beside = useMemo(() => orderedParts(document).filter(([, one]) => !one.sources.length), [document]);
  const chosen = part
    ? part.sources.includes(sourceId ?? '')
      ? sourceId!
      : (part.sources[0] ?? null)
    : null;
  const lengthS = props.lengthS;
  const addFiles = useCallback((files: File[]) => doing.takeIn(files), [doing]);
  const over = useDrop(addFiles);
  const source = chosen ? document.sources?.[chosen] : undefined;
  const setPiece = (piece: string) => partId && void doing.act({ kind: 'set_piece', part_id: partId, piece });
  const remove = () => {
    if (chosen) void doing.act({ kind: 'remove_source', source_id: chosen });
    else if (part && partId) void doing.act({ kind: 'remove_part', part_id: partId });
  };
  const aside = () =>
    chosen && source && void doing.act({ kind: 'set_aside', source_id: chosen, aside: !source.aside });
  const askedOf = overview?.parts.find((one) => one.part_id === asking);
  const asks =
    part &&
    part.piece !== 'heard' &&
    ['whole', 'overall', 'room'].includes(pieces.get(part.piece)?.family ?? '');
  const ask = () => {
    if (!partId || !asks) return;
    if (isSorted(partId)) void doing.act({ kind: 'as_one', part_id: partId });
    else if (overview?.parts.find((one) => one.part_id === partId)?.look_for.length) setAsking(partId);
    else void doing.act({ kind: 'ask_pieces', part_id: partId, pieces: [] });
  };
  const isSorted = (headId: string) =>
    Object.values(document.parts ?? {}).some((one) => one.sorted_from === headId && isTold(one));
  const choose = (id: string, of: string) => {
    set({ partId: id });
    setSourceId(of);
  };
  const step = (by: number) => {
    const index = rows.findIndex((row) => row.source === chosen);
    const next = rows[Math.min(Math.max(index + by, 0), rows.length - 1)];
    if (next) choose(next.id, next.source);
  };
  const letters: Keys = Object.fromEntries(
    library.pieces.map((piece) => [pieceKey(piece.key), () => void setPiece(piece.id)]),
  );
  const order = useMemo(
    () =>
      orderedParts(document)
        .filter(([, one]) => !one.sorted_from)
        .map(([id]) => id),
    [document],
  );
  const move = (id: string, to: number) => void doing.act({ kind: 'move_part', part_id: id, to });
  const moveBy = (by: number) => {
    const to = partId ? placeBeside(order, partId, by) : null;
    if (partId && to !== null) move(partId, to);
  };
  const navigate = useNavigate();
  const look = () => void navigate(`/session/${doing.id}/find`, { state: { secondLook: true } });
  const rowDrag = useRowDrag(order, move);
  const nameField = useRef<HTMLInputElement | null>(null);
  const commands = {
    moveUp: () => moveBy(-1),
    moveDown: () => moveBy(1),
    rename: () => nameField.current?.select(),
    secondLook: () => look(),
    down: () => step(1),
    up: () => step(-1),
    takeOut: remove,
    setAside: () => void aside(),
    askPieces: () => ask(),
    view: () => setShown((now) => VIEWS[(VIEWS.indexOf(now) + 1) % VIEWS.length]!),
  };
  useCommands(
    shown === 'tempo' ? { view: commands.view } : commands,
    part && shown !== 'record' && shown !== 'tempo' ? letters : {},
  );

  /** What stands under a part, told from its moments or divided from it, with its strokes. */
  const family = (headId: string) =>
    orderedParts(document)
      .filter(([, one]) => one.sorted_from === headId)
      .map(([id, one]) => {
        const about = overview?.parts.find((line) => line.part_id === id);
        return {
          part_id: id,
          name: about?.name ?? '',
          piece: pieces.get(one.piece),
          hits: about?.time_s.length ?? 0,
        };
      });
  const waiting = Object.entries(uploads);
  const analysing = overview?.parts.some((line) => line.progress < 1) ?? false;
  const halted = overview?.parts.filter((line) => line.progress < 1 && line.problem) ?? [];
  const stopped = halted.some((line) => line.progress === 0);
  const head = (
    <div className="two-words" role="group" aria-label="What is shown">
      {VIEWS.map((view) => (
        <button
          type="button"
          key={view}
          className="plain-act"
          aria-pressed={view === shown}
          onClick={() => setShown(view)}
        >
          {NAMES[view]}
        </button>
      ))}
      <KeyOf of="view" />
    </div>
  );
  const form = (
    <SessionForm
      key={doing.id + document.name}
      doing={doing}
      document={document}
      offer={props.overview?.tempo_offer ?? null}
    />
  );
  if (shown === 'record') return <Record {...props} head={head} form={form} />;
  if (shown === 'tempo') return <TempoView {...props} head={head} form={form} />;
  if (shown === 'live') return <Live {...props} head={head} />;
  return (
    <>
      <section className="large gather" aria-label="Sources">
        <div className="gather-head">
          {head}
          {analysing && (
            <button type="button" className="plain-act light" onClick={() => void doing.analyse(stopped)}>
              {stopped ? 'Listen to the rest' : 'Cancel listening'}
            </button>
          )}
        </div>
        {halted.map((line) => (
          <p className="about" role="status" key={line.part_id}>
            {line.name}: {line.problem}
          </p>
        ))}
        {!mapShown && <FirstLook {...props} onLook={look} />}
        {!mapShown && <Unheard {...props} onAsk={setAsking} />}
        {!mapShown && <Together {...props} />}
        {!mapShown && askedOf && (
          <LookFor
            key={askedOf.part_id}
            doing={doing}
            part={askedOf}
            pieces={pieces}
            onClose={() => setAsking(null)}
          />
        )}
        {mapShown ? (
          <SpillMapView {...props} />
        ) : (
          rows.map(({ id, one, source: of_id }) => {
            const of = document.sources?.[of_id];
            const piece = pieces.get(one.piece);
            const about = overview?.parts.find((line) => line.part_id === id);
            if (!of || !piece) return null;
            const further = of_id !== one.sources[0];
            return (
              <button
                type="button"
                key={of_id}
                className={[
                  'source',
                  of_id === chosen && 'chosen',
                  of.aside && 'aside',
                  further && 'further',
                  rowDrag.sign(id),
                ]
                  .filter(Boolean)
                  .join(' ')}
                data-part={id}
                onClick={() => choose(id, of_id)}
                aria-pressed={of_id === chosen}
              >
                <span className="source-head" title="Drag it to another place" {...rowDrag.grip(id)}>
                  <PieceMark piece={piece} size={20} />
                  <strong>
                    {further ? `and for ${about?.name ?? piece.name}` : (about?.name ?? piece.name)}
                  </strong>
                  <span className="quiet">{of.name}</span>
                  {of.guess?.asks && (
                    <span className="unsure">
                      is it {of.guess.over_the_kit ? 'overheads' : piece.name.toLowerCase()}?
                    </span>
                  )}
                </span>
                <Lane
                  source={of}
                  lengthS={lengthS}
                  ink={piece.ink}
                  edgesS={edgesBeside(document, of_id)}
                  onPut={
                    of_id === chosen
                      ? (index, startS) =>
                          doing.act({ kind: 'move_clip', source_id: of_id, index, start_s: startS })
                      : undefined
                  }
                />
                {of.aside ? (
                  <span className="source-state">set aside</span>
                ) : about && about.progress < 1 ? (
                  <span className="source-state">
                    <Progress now={about.progress * 100} aria-label={`Analysing ${of.name}`} />
                    {about.problem && about.progress === 0 ? 'stopped' : 'listening …'}
                  </span>
                ) : family(id).length ? (
                  <span className="source-state family">
                    {!isSorted(id) && (
                      <span>
                        <PieceMark piece={piece} size={13} /> {about?.time_s.length ?? '–'}
                      </span>
                    )}
                    {family(id).map(({ part_id, name, piece: told, hits }) => (
                      <span key={part_id} title={`${name}: ${hits}`}>
                        {told && <PieceMark piece={told} size={13} />} {hits}
                      </span>
                    ))}
                  </span>
                ) : !piece.noted ? (
                  <span className="source-state">only heard</span>
                ) : further ? (
                  <span className="source-state">same part</span>
                ) : (
                  <span className="source-state">
                    <b>{about?.time_s.length ?? '–'}</b> {about?.time_s.length === 1 ? 'hit' : 'hits'}
                  </span>
                )}
              </button>
            );
          })
        )}
        {!mapShown &&
          beside.map(([id, one]) => {
            const piece = pieces.get(one.piece);
            const notes = Object.keys(one.pattern ?? {}).length;
            return (
              <button
                type="button"
                key={id}
                className={`source ${id === partId ? 'chosen' : ''} ${rowDrag.sign(id)}`}
                data-part={id}
                onClick={() => set({ partId: id })}
                aria-pressed={id === partId}
              >
                <span className="source-head" title="Drag it to another place" {...rowDrag.grip(id)}>
                  {piece && <PieceMark piece={piece} size={20} />}
                  <strong>{overview?.parts.find((line) => line.part_id === id)?.name ?? piece?.name}</strong>
                  <span className="quiet">no recording</span>
                </span>
                <span className="quiet">
                  Notes that were brought in; shape and layer them like any other.
                </span>
                <span className="source-state">
                  <b>{notes}</b> {notes === 1 ? 'note' : 'notes'}
                </span>
              </button>
            );
          })}
        {waiting.map(([name, share]) => (
          <div className="source taking" key={name}>
            <span className="source-head">
              <strong>{name}</strong>
              <span className="quiet">being taken in</span>
            </span>
            <Progress now={share * 100} aria-label={`Taking in ${name}`} />
          </div>
        ))}
        {!mapShown && (
          <div className={`drop-place ${rows.length ? '' : 'tall'} ${over ? 'over' : ''}`}>
            <p>
              {over ? (
                <strong>Let go, and each file becomes a source.</strong>
              ) : (
                <>
                  <strong>
                    {rows.length ? 'Drop more recordings here' : 'Drop your drum recordings here'}
                  </strong>
                  {' or '}
                  <Button variant="link" onClick={() => chooser.current?.click()}>
                    choose files
                  </Button>
                  {' or '}
                  <Button variant="link" onClick={() => folderChooser.current?.click()}>
                    a folder
                  </Button>
                </>
              )}
            </p>
            <p className="quiet">
              A folder of microphones, a loop, claps or mouth percussion: WAV, AIFF, FLAC, OGG or MP3, up to
              four hours each. MIDI and lists of hits come in as notes. Files with a time stamp go to their
              place, others start at zero.
            </p>
            <input
              ref={chooser}
              type="file"
              multiple
              hidden
              accept={`audio/*,.wav,.aif,.aiff,.flac,.ogg,.mp3,${NOTE_ENDINGS}`}
              data-testid="files"
              onChange={(event) => {
                addFiles([...(event.target.files ?? [])]);
                event.target.value = '';
              }}
            />
            <input
              ref={folderChooser}
              type="file"
              multiple
              hidden
              {...{ webkitdirectory: '' }}
              data-testid="folder"
              onChange={(event) => {
                addFiles(ofFolder([...(event.target.files ?? [])]));
                event.target.value = '';
              }}
            />
          </div>
        )}
      </section>
      <aside className="settings" aria-label="Settings">
        {source && part && chosen && partId ? (
          <>
            <div className="column-head">
              <span>What is this?</span>
              <span className="push">
                <Key>Shift</Key> and its letter
              </span>
            </div>
            <Names
              key={chosen}
              name={part.named ?? ''}
              usual={pieces.get(part.piece)?.name ?? ''}
              file={source.name}
              field={nameField}
              onName={(name) => void doing.act({ kind: 'name_part', part_id: partId, name })}
              onFile={(name) => void doing.act({ kind: 'name_source', source_id: chosen, name })}
            />
            <p className="about">{source.guess?.why}</p>
            <Asked
              sessionId={doing.id}
              partId={partId}
              source={source}
              rateHz={document.rate_hz ?? 44100}
              pieces={pieces}
              onChoose={setPiece}
            />
            {part.sources.length > 1 && (
              <Microphones {...props} partId={partId} part={part} sourceId={chosen} />
            )}
            <PieceList library={library} chosen={part.piece} onChoose={setPiece} />
            {source.notes?.map((note) => (
              <p className="about warn" key={note}>
                {note}
              </p>
            ))}
            <Takes doing={doing} sourceId={chosen} source={source} />
            {part.sources.length < 2 && <Company {...props} partId={partId} sourceId={chosen} />}
            <p className="source-acts">
              {asks && (
                <button type="button" className="plain-act" onClick={ask}>
                  <KeyOf of="askPieces" /> {family(partId).length ? 'Keep as one part' : 'Split into drums'}
                </button>
              )}
              {(source.sides?.length ?? 0) > 1 && chosen && (
                <button
                  type="button"
                  className="plain-act"
                  onClick={() =>
                    void doing.act({
                      kind: 'as_two',
                      source_id: chosen,
                      new_source_id: newId(),
                      new_part_id: newId(),
                    })
                  }
                >
                  Split the pair
                </button>
              )}
              <button type="button" className="plain-act" onClick={() => void aside()}>
                <KeyOf of="setAside" /> {source.aside ? 'Take it up again' : 'Set it aside'}
              </button>
              <button type="button" className="plain-act" onClick={remove}>
                <KeyOf of="takeOut" /> Take it out
              </button>
            </p>
          </>
        ) : part && partId ? (
          <>
            <div className="column-head">
              <span>What is this?</span>
              <span className="push">
                <Key>Shift</Key> and its letter
              </span>
            </div>
            <PieceList library={library} chosen={part.piece} onChoose={setPiece} />
            <p className="source-acts">
              <button type="button" className="plain-act" onClick={remove}>
                <KeyOf of="takeOut" /> Take it out
              </button>
            </p>
          </>
        ) : (
          <p className="about">
            Nothing is here yet. Each recording you drop becomes a source on one time line.
          </p>
        )}
        {form}
      </aside>
    </>
  );
}

function PieceList({
  library,
  chosen,
  onChoose,
}: Pick<BenchProps, 'library'> & { chosen: string; onChoose: (piece: string) => void }) {
  return (
    <div className="piece-list" role="radiogroup" aria-label="Piece">
      {library.pieces.map((piece) => (
        <button
          type="button"
          key={piece.id}
          role="radio"
          aria-checked={piece.id === chosen}
          className={piece.id === chosen ? 'chosen' : ''}
          onClick={() => onChoose(piece.id)}
        >
          <PieceMark piece={piece} /> {piece.name} <Key>{piece.key.toUpperCase()}</Key>
        </button>
      ))}
    </div>
  );
}
