import { useCallback, useMemo, useRef, useState } from 'react';
import { Button, Form, ProgressBar } from 'react-bootstrap';
import { orderedParts, sessionLength, type BenchProps } from '../shell/bench';
import { Key } from '../shell/Key';
import { PieceMark } from '../shell/PieceMark';
import { useKeys, type Keys } from '../shell/useKeys';
import { useWindow } from '../state/window';
import { Lane } from '../timeline/Lane';
import { useDrop } from './useDrop';

/** Gather: what was recorded? Every source as a lane on the time line, with its piece. */
export function Gather({ doing, document, overview, pieces, partId, part, library }: BenchProps) {
  const set = useWindow((state) => state.set);
  const uploads = useWindow((state) => state.uploads);
  const chooser = useRef<HTMLInputElement | null>(null);
  const parts = useMemo(() => orderedParts(document), [document]);
  const lengthS = sessionLength(document);
  const addFiles = useCallback((files: File[]) => void doing.addFiles(files), [doing]);
  const over = useDrop(addFiles);
  const source = part ? document.sources?.[part.sources[0]!] : undefined;
  const setPiece = (piece: string) => partId && void doing.act({ kind: 'set_piece', part_id: partId, piece });
  const remove = () => part && void doing.act({ kind: 'remove_source', source_id: part.sources[0]! });
  const step = (by: number) => {
    const index = parts.findIndex(([key]) => key === partId);
    const next = parts[Math.min(Math.max(index + by, 0), parts.length - 1)];
    if (next) set({ partId: next[0] });
  };
  const letters: Keys = Object.fromEntries(library.pieces.map((piece) => [piece.key, () => setPiece(piece.id)]));
  useKeys({
    ...(part ? letters : {}),
    ArrowDown: () => step(1),
    ArrowUp: () => step(-1),
    Delete: remove,
    Backspace: remove,
  });

  const waiting = Object.entries(uploads);
  return (
    <>
      <section className="large gather" aria-label="Sources">
        {parts.map(([id, one]) => {
          const of = document.sources?.[one.sources[0]!];
          const piece = pieces.get(one.piece);
          const about = overview?.parts.find((line) => line.part_id === id);
          if (!of || !piece) return null;
          return (
            <button
              type="button"
              key={id}
              className={`source ${id === partId ? 'chosen' : ''}`}
              onClick={() => set({ partId: id })}
              aria-pressed={id === partId}
            >
              <span className="source-head">
                <PieceMark piece={piece} size={20} />
                <strong>{about?.name ?? piece.name}</strong>
                <span className="quiet">{of.name}</span>
              </span>
              <Lane source={of} lengthS={lengthS} ink={piece.ink} />
              {about && about.progress < 1 ? (
                <span className="source-state">
                  <ProgressBar now={about.progress * 100} aria-label={`Analysing ${of.name}`} />
                  {about.problem ?? 'listening …'}
                </span>
              ) : (
                <span className="source-state">
                  <b>{about?.time_s.length ?? '–'}</b> hits
                </span>
              )}
            </button>
          );
        })}
        {waiting.map(([name, share]) => (
          <div className="source taking" key={name}>
            <span className="source-head">
              <strong>{name}</strong>
              <span className="quiet">being taken in</span>
            </span>
            <ProgressBar now={share * 100} aria-label={`Taking in ${name}`} />
          </div>
        ))}
        <div className={`drop-place ${parts.length ? '' : 'tall'} ${over ? 'over' : ''}`}>
          <p>
            {over ? (
              <strong>Let go, and each file becomes a source.</strong>
            ) : (
              <>
                <strong>{parts.length ? 'Drop more recordings here' : 'Drop your drum recordings here'}</strong>
                {' or '}
                <Button variant="link" onClick={() => chooser.current?.click()}>
                  choose files
                </Button>
              </>
            )}
          </p>
          <p className="quiet">
            One file per microphone, a loop, or claps. WAV, AIFF, FLAC, OGG or MP3, up to four hours each. They all
            start at zero.
          </p>
          <input
            ref={chooser}
            type="file"
            multiple
            hidden
            accept="audio/*,.wav,.aif,.aiff,.flac,.ogg,.mp3"
            data-testid="files"
            onChange={(event) => {
              addFiles([...(event.target.files ?? [])]);
              event.target.value = '';
            }}
          />
        </div>
      </section>
      <aside className="settings">
        {source && part ? (
          <>
            <div className="column-head">
              <span>What is this?</span>
            </div>
            <h2 className="file-name">{source.name}</h2>
            <p className="about">{source.guess?.why}</p>
            <div className="piece-list" role="radiogroup" aria-label="Piece">
              {library.pieces.map((piece) => (
                <button
                  type="button"
                  key={piece.id}
                  role="radio"
                  aria-checked={piece.id === part.piece}
                  className={piece.id === part.piece ? 'chosen' : ''}
                  onClick={() => setPiece(piece.id)}
                >
                  <PieceMark piece={piece} /> {piece.name} <Key>{piece.key.toUpperCase()}</Key>
                </button>
              ))}
            </div>
            {source.clips.map((clip) => (
              <p className="about" key={clip.audio}>
                {clip.length_s.toFixed(2)} s, {clip.rate_hz} Hz,{' '}
                {clip.channels === 1 ? 'mono' : clip.channels === 2 ? 'stereo' : `${clip.channels} channels`}
              </p>
            ))}
            {source.notes?.map((note) => (
              <p className="about warn" key={note}>
                {note}
              </p>
            ))}
            <button type="button" className="plain-act" onClick={remove}>
              <Key>Del</Key> Take it out
            </button>
          </>
        ) : (
          <p className="about">Nothing is here yet. Each recording you drop becomes a source on one time line.</p>
        )}
        <TempoForm key={JSON.stringify(document.tempo)} doing={doing} document={document} />
      </aside>
    </>
  );
}

function TempoForm({ doing, document }: Pick<BenchProps, 'doing' | 'document'>) {
  const [bpm, setBpm] = useState(String(document.tempo?.bpm ?? 120));
  const [start, setStart] = useState(String(document.tempo?.bar_one_s ?? 0));
  const [name, setName] = useState(document.name);
  const take = (field: 'bpm' | 'bar_one_s', text: string) => {
    const number = Number(text.replace(',', '.'));
    const now = field === 'bpm' ? (document.tempo?.bpm ?? 120) : (document.tempo?.bar_one_s ?? 0);
    if (text.trim() && Number.isFinite(number) && number !== now)
      void doing.act({ kind: 'set_tempo', changes: { [field]: number } });
  };
  const onEnter = (event: React.KeyboardEvent<HTMLInputElement>) => event.key === 'Enter' && event.currentTarget.blur();
  return (
    <div className="session-form">
      <div className="column-head">
        <span>The session</span>
      </div>
      <Form.Label htmlFor="session-name">Name</Form.Label>
      <Form.Control
        id="session-name"
        value={name}
        maxLength={120}
        onChange={(event) => setName(event.target.value)}
        onKeyDown={onEnter}
        onBlur={() => name.trim() && name !== document.name && void doing.act({ kind: 'rename', name: name.trim() })}
      />
      <div className="two">
        <div>
          <Form.Label htmlFor="tempo">Tempo, bpm</Form.Label>
          <Form.Control
            id="tempo"
            inputMode="decimal"
            value={bpm}
            onChange={(event) => setBpm(event.target.value)}
            onBlur={() => take('bpm', bpm)}
            onKeyDown={onEnter}
          />
        </div>
        <div>
          <Form.Label htmlFor="bar-one">Bar 1 at, s</Form.Label>
          <Form.Control
            id="bar-one"
            inputMode="decimal"
            value={start}
            onChange={(event) => setStart(event.target.value)}
            onBlur={() => take('bar_one_s', start)}
            onKeyDown={onEnter}
          />
        </div>
      </div>
    </div>
  );
}
