import { KeyOf } from '../commands/KeyOf';
import type { Document } from '../api/client';
import { useLesson } from '../commands/known';
import type { BenchName } from './bench';
import { useWindow } from '../state/window';
import { barAndBeat, clock, knownTempo, tempoSaid } from '../stage/axes';

function Place({ document }: { document: Document }) {
  const playheadS = useWindow((state) => state.playheadS);
  const tempo = knownTempo(document);
  return (
    <>
      <span className="clock" data-testid="clock">
        {clock(playheadS)}
      </span>
      {tempo && <span className="number place">{barAndBeat(tempo, playheadS)}</span>}
      <span className="number" data-testid="tempo-said">
        {tempo ? tempoSaid(tempo, playheadS) : 'no tempo yet'}
      </span>
    </>
  );
}

/** Along the bottom: where we are, and the keys that move us. */
export function Transport({
  document,
  bench,
  partName,
  sums,
  toggle,
}: {
  document: Document;
  bench: BenchName;
  partName: string;
  sums: string;
  toggle: () => void;
}) {
  const playing = useWindow((state) => state.playing);
  const loop = useWindow((state) => state.loop);
  const looping = useWindow((state) => state.looping);
  const alone = useWindow((state) => state.alone);
  const set = useWindow((state) => state.set);
  const lesson = useLesson(bench);
  const looking = useWindow((state) => state.looking);
  return (
    <footer>
      <Place document={document} />
      <button type="button" className="plain-act" onClick={toggle} aria-pressed={playing}>
        <KeyOf of="play" /> {playing ? 'Stop' : 'Play'}
      </button>
      <button
        type="button"
        className="plain-act"
        onClick={() => loop && set({ looping: !looping })}
        aria-pressed={looping}
        disabled={!loop}
      >
        <KeyOf of="loop" />{' '}
        {loop
          ? `Loop ${(loop.endS - loop.startS).toFixed(2)} s${looping ? '' : ', off'}`
          : 'Loop: drag over the waveform'}
      </button>
      {lesson && !playing && !looking && (
        <span className="teach" data-testid="lesson">
          <KeyOf of={lesson[0]} /> {lesson[1]}
        </span>
      )}
      <span className="spacer" />
      <span className="quiet tally" data-testid="sums">
        {playing ? (alone ? `playing ${partName.toLowerCase()} alone` : 'playing all parts') : sums}
      </span>
      <span className="quiet">
        <KeyOf of="keys" /> all keys
      </span>
    </footer>
  );
}
