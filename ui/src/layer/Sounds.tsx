import { KeyOf } from '../commands/KeyOf';
import { useQueryClient } from '@tanstack/react-query';
import { Fragment, useEffect, useMemo, useRef, useState, type RefObject } from 'react';
import { Button, Form } from 'react-bootstrap';
import { client, take } from '../api/client';
import { useDrop, SAMPLES } from '../gather/useDrop';
import type { BenchProps } from '../shell/bench';
import { Key } from '../shell/Key';
import { PieceMark } from '../shell/PieceMark';
import { useCommands } from '../commands/useCommands';
import { useWindow } from '../state/window';
import { takeSamples, type Came } from './samples';
import { isUsed, keyOf, ordered, type Sound } from './soundList';
import { useSuits, type Order } from './useSuits';
import { Progress } from '../shell/Progress';

interface Props extends Pick<BenchProps, 'doing' | 'library' | 'pieces' | 'part' | 'revision'> {
  partId: string;
  /** The layer a sound is tried and put in place of, if there is one. */
  layerId: string | null;
  onTake: (kitId: string, instrumentId: string, beside: boolean) => void;
  onCame: (came: Came) => void;
  onKits: () => void;
  onBalance: () => void;
  shown: string;
  /** The view that the key leads to: its sign stands there. */
  next: string;
}

/**
 * The sounds of the library: searched, ordered by what suits, tried with the arrow keys, taken with Enter.
 */
export function Sounds(props: Props) {
  const {
    doing,
    library,
    pieces,
    part,
    partId,
    layerId,
    revision,
    onTake,
    onCame,
    onKits,
    onBalance,
    shown,
    next,
  } = props;
  const [searched, setSearched] = useState('');
  const [order, setOrder] = useState<Order>('kit');
  const [at, setAt] = useState<string | null>(null);
  const [share, setShare] = useState<number | null>(null);
  const search = useRef<HTMLInputElement | null>(null);
  const tried = useWindow((state) => state.tried);
  const { set, notify } = useWindow.getState();
  const queries = useQueryClient();
  const suits = useSuits(doing.id, partId, revision, order);
  const sounds = useMemo(
    () =>
      ordered(
        library,
        part?.piece ?? '',
        searched,
        pieces,
        order === 'kit' ? null : (suits.data?.sounds ?? null),
      ),
    [library, part?.piece, searched, pieces, order, suits.data],
  );
  const index = sounds.findIndex((one) => keyOf(one) === at);
  // A library of thousands: those that are near are drawn.
  const [most, setMost] = useState(AT_ONCE);
  const shownSounds = sounds.slice(0, Math.max(most, index + AT_ONCE / 2));
  const manyKits = Object.keys(library.kits).length > 1;
  const byKit = manyKits && order === 'kit';
  // Tab comes to one of them and goes on; the arrow keys go through them.
  const stopOf = sounds[index] ?? sounds.find((one) => isUsed(one, part?.layers ?? {})) ?? sounds[0];
  const stopAt = stopOf && keyOf(stopOf);
  const step = (by: number) => {
    const next = sounds[Math.min(Math.max(index + by, 0), sounds.length - 1)];
    if (!next) return;
    setAt(keyOf(next));
    set({ tried: { partId, layerId, kit: next.kitId, instrument: next.id } });
    // The neighbours are made ready, so that the next step is heard at once.
    for (const near of [sounds[index + 2 * by], sounds[index]])
      if (near) warm(doing.id, partId, layerId, near);
  };
  const takeIt = (beside: boolean) => {
    const chosen = sounds[index];
    if (chosen) onTake(chosen.kitId, chosen.id, beside);
    set({ tried: null });
  };
  const leave = () => set({ tried: null });
  useCommands({
    down: () => step(1),
    up: () => step(-1),
    take: () => takeIt(false),
    takeBeside: () => takeIt(true),
    leave: leave,
    search: () => search.current?.focus(),
  });
  useEffect(() => leave, [partId]); // eslint-disable-line react-hooks/exhaustive-deps
  // The first sounds of the list are made ready before anybody steps to them.
  const nearest = sounds
    .slice(0, READY)
    .map((one) => keyOf(one))
    .join(' ');
  useEffect(() => {
    const timer = setTimeout(() => {
      for (const sound of sounds.slice(0, READY)) warm(doing.id, partId, layerId, sound);
    }, 700);
    return () => clearTimeout(timer);
    // When other sounds stand first; not at every change of what is known of them.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [nearest, partId, layerId, revision]);
  const like = async (sound: Sound) => {
    const favourites = library.kits[sound.kitId]?.favourites ?? [];
    const next = sound.liked ? favourites.filter((one) => one !== sound.id) : [...favourites, sound.id];
    try {
      await take(
        client.PATCH('/api/kits/{kit_id}', {
          params: { path: { kit_id: sound.kitId } },
          body: { favourites: next },
        }),
      );
      await queries.invalidateQueries({ queryKey: ['library'] });
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
  };
  const takeFiles = async (files: File[]) => {
    if (!files.length) return;
    setShare(0);
    try {
      const came = await takeSamples(files, setShare);
      onCame(came);
      if (came.kits.length) await queries.invalidateQueries({ queryKey: ['library'] });
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    } finally {
      setShare(null);
    }
  };
  const over = useDrop((files) => void takeFiles(files), SAMPLES);
  const triedNow = tried ? sounds[index]?.one.name : undefined;
  return (
    <aside className="settings sounds" aria-label="Library">
      <div className="column-head">
        <span>Sounds</span>
        <span className="views">
          <button type="button" className="plain-act" aria-pressed={shown === 'balance'} onClick={onBalance}>
            {next === 'balance' && <KeyOf of="view" />} balance
          </button>
          <button type="button" className="plain-act" aria-pressed={shown === 'kits'} onClick={onKits}>
            {next === 'kits' && <KeyOf of="view" />} kits
          </button>
        </span>
      </div>
      <Form.Control
        ref={search}
        size="sm"
        type="search"
        aria-label="Search sounds"
        placeholder="search: name, piece …"
        value={searched}
        onChange={(event) => setSearched(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
            event.preventDefault();
            step(event.key === 'ArrowDown' ? 1 : -1);
          } else if (event.key === 'Enter') takeIt(event.shiftKey);
          else if (event.key === 'Escape') {
            setSearched('');
            leave();
            event.currentTarget.blur();
          }
        }}
      />
      <Form.Select
        size="sm"
        aria-label="Order of the sounds"
        value={order}
        onChange={(event) => setOrder(event.target.value as Order)}
      >
        <option value="kit">this piece first</option>
        <option value="likeness">most alike first</option>
        <option value="adds">adds most first</option>
      </Form.Select>
      {suits.isFetching && !suits.data && (
        <p className="about" role="status">
          Holding every sound against the strokes …
        </p>
      )}
      {suits.error && order !== 'kit' && <p className="about">{suits.error.message}</p>}
      <div className="sound-list" role="group" aria-label="Sounds">
        {shownSounds.map((sound, place) => {
          const used = isUsed(sound, part?.layers ?? {});
          const stop = keyOf(sound) === stopAt ? 0 : -1;
          const mark = pieces.get(sound.one.piece);
          const here = keyOf(sound) === at;
          const head = byKit && sound.kitId !== shownSounds[place - 1]?.kitId ? sound.kitName : null;
          return (
            <Fragment key={keyOf(sound)}>
              {head && <p className="kit-head">{head}</p>}
              <div className={`sound-row ${here && tried ? 'tried' : ''} ${used ? 'chosen' : ''}`}>
                <button
                  type="button"
                  aria-pressed={used}
                  tabIndex={stop}
                  ref={here ? intoView : undefined}
                  title={[
                    `${sound.kitName}: ${sound.one.samples.length} samples`,
                    sound.one.words?.join(', '),
                  ]
                    .filter(Boolean)
                    .join('; ')}
                  onClick={(event) => {
                    setAt(keyOf(sound));
                    onTake(sound.kitId, sound.id, event.shiftKey);
                    set({ tried: null });
                  }}
                >
                  {mark && <PieceMark piece={mark} />}
                  <span>
                    {sound.one.name}
                    {sound.said && (
                      <small className="said">
                        {manyKits && `${sound.kitName}: `}
                        {sound.said}
                      </small>
                    )}
                  </span>
                </button>
                <button
                  type="button"
                  className={`like ${sound.liked ? 'liked' : ''}`}
                  tabIndex={stop}
                  aria-pressed={sound.liked}
                  aria-label={`Favourite: ${sound.one.name}`}
                  onClick={() => void like(sound)}
                >
                  {sound.liked ? '★' : '☆'}
                </button>
              </div>
            </Fragment>
          );
        })}
        {sounds.length > shownSounds.length && (
          <button type="button" className="more" onClick={() => setMost(most + AT_ONCE)}>
            {sounds.length - shownSounds.length} more; a search finds them too
          </button>
        )}
        {!sounds.length && <p className="about">No sound is called that.</p>}
      </div>
      {triedNow ? (
        <p className="about trying" role="status" data-testid="trying">
          Trying <strong>{triedNow}</strong>. <KeyOf of="take" /> takes it, with <Key>Shift</Key> beside the
          others, <KeyOf of="leave" /> leaves it.
        </p>
      ) : (
        <p className="about trying">
          <KeyOf of="up" />
          <KeyOf of="down" /> try them while it plays, locked and at one level.
        </p>
      )}
      <OwnSamples over={over} share={share} onFiles={(files) => void takeFiles(files)} />
    </aside>
  );
}

function OwnSamples({
  over,
  share,
  onFiles,
}: {
  over: boolean;
  share: number | null;
  onFiles: (files: File[]) => void;
}) {
  const files = useRef<HTMLInputElement | null>(null);
  const folder = useRef<HTMLInputElement | null>(null);
  const input = (ref: RefObject<HTMLInputElement | null>, testId: string, more: object) => (
    <input
      ref={ref}
      type="file"
      hidden
      multiple
      data-testid={testId}
      {...more}
      onChange={(event) => {
        onFiles(
          [...(event.target.files ?? [])].filter(
            (file) => SAMPLES.test(file.name) || testId === 'sample-file',
          ),
        );
        event.target.value = '';
      }}
    />
  );
  return (
    <div className={`drop-place small ${over ? 'over' : ''}`}>
      {share !== null ? (
        <Progress now={share * 100} aria-label="Samples coming in" />
      ) : (
        <p>
          <strong>
            {over ? 'Let go, and they are looked at.' : 'Your own samples, SFZ, sound font or zip:'}
          </strong>{' '}
          <Button variant="link" onClick={() => files.current?.click()}>
            files
          </Button>{' '}
          <Button variant="link" onClick={() => folder.current?.click()}>
            folder
          </Button>
        </p>
      )}
      {input(files, 'sample-file', { accept: 'audio/*,.wav,.aif,.aiff,.flac,.ogg,.mp3,.sfz,.sf2,.sf3,.zip' })}
      {input(folder, 'sample-folder', { webkitdirectory: '' })}
    </div>
  );
}

const READY = 3;
const AT_ONCE = 200;

const intoView = (element: HTMLElement | null) => element?.scrollIntoView({ block: 'nearest' });

/** Ask for a sound to be locked and brought to level before it is stepped to. */
const warm = (id: string, partId: string, layerId: string | null, sound: Sound) => {
  const asked = new URLSearchParams({
    start: '0',
    frames: '1',
    trying: partId,
    kit: sound.kitId,
    instrument: sound.id,
    ...(layerId ? { layer: layerId } : {}),
  });
  void fetch(`/api/sessions/${id}/sound/layers?${asked.toString()}`).catch(() => undefined);
};
