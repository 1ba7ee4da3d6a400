import { DropAnywhere } from '../gather/DropAnywhere';
import { counted } from './counted';
// Before the benches, whose own styles come after it.
import './shell.scss';
import { useEffect, useMemo, useRef } from 'react';
import { Button } from 'react-bootstrap';
import { Link, useNavigate, useParams } from 'react-router';
import { type PartOverview } from '../api/client';
import { useDoing, useLibrary, useNews, useOverview, useSession } from '../api/session';
import { COMMANDS } from '../commands/catalogue';
import { KeySheet } from '../commands/KeySheet';
import { useCommands } from '../commands/useCommands';
import { useHeld } from '../commands/useKeys';
import { Find } from '../find/Find';
import { Gather } from '../gather/Gather';
import { LayerBench } from '../layer/LayerBench';
import { MixBench } from '../mix/MixBench';
import { PrintBench } from '../print/PrintBench';
import { useCutOff } from '../record/cutOff';
import { ShapeBench } from '../shape/ShapeBench';
import { Sort } from '../sort/Sort';
import { useWindow } from '../state/window';
import { fitView, viewOnFirst, viewShowing, zoomAbout, zoomView } from '../state/view';
import { knownTempo } from '../stage/axes';
import { barBeside, rangeTo } from '../stage/snap';
import { Staff } from '../stage/Staff';
import { BENCHES, benchesOf, isTold, orderedParts, type BenchName, type BenchProps } from './bench';
import { Notices } from './Notices';
import { Parts } from './Parts';
import { Transport } from './Transport';
import { useNight } from './useNight';
import { usePlaying } from './usePlaying';

const BENCH = {
  gather: Gather,
  find: Find,
  sort: Sort,
  shape: ShapeBench,
  layer: LayerBench,
  mix: MixBench,
  print: PrintBench,
};

/** One session: the benches along the top, the staff, one part large, the transport. */
export function Shell() {
  const { id = '', bench: asked } = useParams();
  const bench = (BENCHES as readonly string[]).includes(asked ?? '') ? (asked as BenchName) : 'find';
  const navigate = useNavigate();
  const session = useSession(id);
  const library = useLibrary();
  const revision = session.data?.revision;
  const overview = useOverview(id, revision);
  const doing = useDoing(id);
  useNews(id);
  useNight();
  const partId = useWindow((state) => state.partId);
  const set = useWindow((state) => state.set);
  const document = session.data?.document;
  const parts = useMemo(() => (document ? orderedParts(document) : []), [document]);
  const pieces = useMemo(
    () => new Map(library.data?.pieces.map((piece) => [piece.id, piece])),
    [library.data],
  );
  const lengthS = session.data?.length_s ?? 0;

  const opened = useRef('');
  useEffect(() => {
    if (!document || opened.current === id) return;
    opened.current = id;
    const first = parts.find(([, part]) => part.piece === 'snare') ?? parts[0];
    set({
      partId: first?.[0] ?? null,
      playheadS: 0,
      loop: null,
      looping: false,
      selectedS: null,
      draft: null,
      alone: false,
    });
  }, [document, id, parts, set]);
  // The first recording of a session sets what is in view.
  const empty = lengthS === 0;
  useEffect(() => {
    if (!empty) set({ view: fitView({ startS: 0, spanS: 12 }, lengthS) });
    // Only when something is there for the first time; later recordings leave the view alone.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [id, empty, set]);
  useEffect(() => {
    if (opened.current !== id) return;
    const { partId } = useWindow.getState();
    if (parts.length && !parts.some(([key]) => key === partId))
      set({ partId: parts[0]![0], selectedS: null, draft: null });
    if (!parts.length && partId && document) set({ partId: null });
  }, [id, parts, partId, document, set]);

  // A part that is gone to is seen where it is struck.
  const timesS = overview.data?.parts.find((one) => one.part_id === partId)?.time_s;
  const shownPart = useRef<string | null>(null);
  useEffect(() => {
    if (!timesS?.length || shownPart.current === partId || empty) return;
    const first = shownPart.current === null;
    shownPart.current = partId;
    // Whoever opens a session sees its beginning.
    if (!first) set({ view: viewOnFirst(useWindow.getState().view, timesS, lengthS) });
  }, [partId, timesS, lengthS, empty, set]);

  useCutOff(id);
  const { toggle } = usePlaying(id, document, revision, lengthS);
  const go = (to: BenchName) => void navigate(`/session/${id}/${to}`);
  const step = (by: number) => {
    const index = parts.findIndex(([key]) => key === partId);
    const next = parts[Math.min(Math.max(index + by, 0), parts.length - 1)];
    if (next) set({ partId: next[0], selectedS: null, chosenS: [], draft: null });
  };
  const zoom = (factor: number) => {
    const now = useWindow.getState();
    set({ view: zoomView(now.view, factor, zoomAbout(now), lengthS) });
  };
  const gridTempo = () => (document && useWindow.getState().grid ? knownTempo(document) : null);
  const range = (end: 'begin' | 'end') => {
    const { loop, playheadS, view } = useWindow.getState();
    const lines = { view, width: window.innerWidth, tempo: gridTempo() };
    set({ looping: true, loop: rangeTo(loop, end, playheadS, lengthS, lines) });
  };
  const toBar = (by: 1 | -1) => {
    const { playheadS, view } = useWindow.getState();
    const toS = barBeside(document ? knownTempo(document) : null, playheadS, by, lengthS);
    set({ playheadS: toS, selectedS: null, view: viewShowing(view, toS, lengthS) });
  };
  const benches = document ? benchesOf(document) : [];
  const nextBench = (by: number) => {
    // From where it leads to already: what was pressed before may still be on its way to the screen.
    const now = window.location.pathname.split('/').at(-1) as BenchName;
    const to = benches[Math.min(Math.max(benches.indexOf(now) + by, 0), benches.length - 1)];
    if (to) go(to);
  };
  useCommands({
    play: toggle,
    oneLoudness: () => set({ matched: !useWindow.getState().matched }),
    drumsOnly: () => {
      const { drumsOnly, notify } = useWindow.getState();
      const backed = Object.values(document?.parts ?? {}).some((part) => part.piece === 'heard');
      if (!backed) return notify('This session has no backing that could be left out.', true);
      set({ drumsOnly: !drumsOnly });
      notify(drumsOnly ? 'With the backing' : 'Drums only', true);
    },
    hearRecording: () => set({ hearing: 'recording' }),
    hearLayers: () => set({ hearing: 'layers' }),
    hearBoth: () => set({ hearing: 'both' }),
    alone: () => set({ alone: !useWindow.getState().alone }),
    loop: () => {
      const { loop, looping, view } = useWindow.getState();
      set({
        looping: !looping,
        loop: loop ?? { startS: view.startS, endS: Math.min(view.startS + view.spanS, lengthS) },
      });
    },
    rangeBegin: () => range('begin'),
    rangeEnd: () => range('end'),
    previousBar: () => toBar(-1),
    nextBar: () => toBar(1),
    toStart: () => set({ playheadS: 0, view: fitView({ ...useWindow.getState().view, startS: 0 }, lengthS) }),
    toEnd: () =>
      set({ playheadS: lengthS, view: fitView({ ...useWindow.getState().view, startS: lengthS }, lengthS) }),
    closer: () => zoom(0.6),
    farther: () => zoom(1 / 0.6),
    whole: () => set({ view: fitView({ startS: 0, spanS: lengthS }, lengthS) }),
    previousPart: () => step(-1),
    nextPart: () => step(1),
    nextBench: () => nextBench(1),
    previousBench: () => nextBench(-1),
    undo: () => void doing.walk('undo'),
    redo: () => void doing.walk('redo'),
    grid: () => set({ grid: !useWindow.getState().grid }),
    night: () => set({ night: !useWindow.getState().night }),
    keys: () => set({ keysShown: !useWindow.getState().keysShown }),
  });

  useHeld(COMMANDS.asBefore.keys[0], (held) => set({ back: held }));

  if (session.error || library.error) {
    return (
      <div className="page-message" role="alert">
        <h1>{(session.error ?? library.error)!.message}</h1>
        <Link to="/">To the list of sessions</Link>
      </div>
    );
  }
  if (!document || revision === undefined || !library.data)
    return <div className="page-message">Opening the session …</div>;

  const part = (partId && document.parts?.[partId]) || null;
  const props: BenchProps = {
    doing,
    document,
    revision,
    lengthS,
    overview: overview.data,
    library: library.data,
    pieces,
    partId: part ? partId : null,
    part,
    piece: part ? (pieces.get(part.piece) ?? null) : null,
  };
  const Bench = BENCH[bench];
  const hits = overview.data?.parts.reduce((sum, one) => sum + one.time_s.length, 0) ?? 0;
  const layers = parts.reduce((sum, [, one]) => sum + Object.keys(one.layers ?? {}).length, 0);
  const stages = parts.reduce((sum, [, one]) => sum + (one.chain ?? []).filter((of) => of.on).length, 0);
  const told = parts.filter(([, one]) => isTold(one)).length;
  const sources = Object.keys(document.sources ?? {}).length;
  const under: Record<BenchName, string> = {
    gather: `${sources} ${sources === 1 ? 'source' : 'sources'}`,
    find: counted(hits, 'hit'),
    sort: `${told} ${told === 1 ? 'piece' : 'pieces'}`,
    shape: counted(hits, 'note'),
    layer: `${layers} ${layers === 1 ? 'layer' : 'layers'}`,
    mix: stages ? `${stages} ${stages === 1 ? 'stage' : 'stages'}` : 'nothing colours',
    print: 'MIDI and audio',
  };
  return (
    <div className="shell">
      <header>
        <Link to="/" className="wordmark" aria-label="Nubrak: all sessions">
          nubrak
        </Link>
        <div className="session-name">
          <h1>{document.name}</h1>
          <span>{document.about || `${lengthS.toFixed(1)} s at ${document.rate_hz} Hz`}</span>
        </div>
        <nav aria-label="Benches">
          {benches.map((name) => (
            <Link
              key={name}
              to={`/session/${id}/${name}`}
              className={name === bench ? 'here' : ''}
              aria-current={name === bench ? 'page' : undefined}
            >
              <strong>{name[0]!.toUpperCase() + name.slice(1)}</strong>
              <span>{under[name]}</span>
            </Link>
          ))}
        </nav>
        <div className="header-acts">
          <Button
            variant="link"
            disabled={!session.data?.undo}
            title={session.data?.undo ? `Undo: ${session.data.undo}` : 'Nothing to undo'}
            onClick={() => void doing.walk('undo')}
          >
            Undo
          </Button>
          <Button
            variant="link"
            disabled={!session.data?.redo}
            title={session.data?.redo ? `Do again: ${session.data.redo}` : 'Nothing to do again'}
            onClick={() => void doing.walk('redo')}
          >
            Redo
          </Button>
          <Button variant="link" onClick={() => set({ keysShown: true })}>
            Keys
          </Button>
          <NightButton />
        </div>
      </header>
      <section aria-label="The whole session">
        <Staff document={document} overview={overview.data} pieces={pieces} />
      </section>
      <main className={`bench bench-${bench}`}>
        {bench !== 'gather' && bench !== 'sort' && <Parts {...props} />}
        <Bench {...props} key={bench} />
        {bench !== 'gather' && bench !== 'layer' && <DropAnywhere doing={doing} />}
      </main>
      <Transport
        bench={bench}
        document={document}
        sums={sumsOf(overview.data?.parts.find((one) => one.part_id === partId))}
        partName={
          part && overview.data ? (overview.data.parts.find((one) => one.part_id === partId)?.name ?? '') : ''
        }
        toggle={toggle}
      />
      <KeySheet />
      <Notices />
    </div>
  );
}

/** The part in numbers, for the corner of the eye. */
function sumsOf(part: PartOverview | undefined): string {
  if (!part || part.progress < 1) return '';
  const hits = part.time_s.length;
  return `${counted(hits, 'hit')} · ${part.doubtful} in doubt · ${part.by_hand} by hand`;
}

function NightButton() {
  const night = useWindow((state) => state.night);
  const set = useWindow((state) => state.set);
  return (
    <Button variant="link" onClick={() => set({ night: !night })}>
      {night ? 'Day' : 'Night'}
    </Button>
  );
}
