import type { CommandId } from '../commands/catalogue';
import { KeyOf } from '../commands/KeyOf';
import { useEffect, useMemo, useState } from 'react';
import type { LookPlace } from '../api/client';
import { useSecondLook } from '../api/session';
import { newId } from '../api/session';
import { notedParts, type BenchProps } from '../shell/bench';
import { Key } from '../shell/Key';
import { PieceMark } from '../shell/PieceMark';
import { useCommands } from '../commands/useCommands';
import { useWindow } from '../state/window';
import { fitView } from '../state/view';
import { clock } from '../stage/axes';
import { hearMoments } from '../sort/useSort';
import { Close } from './Close';

const keyOf = (place: LookPlace) => `${place.part_id} ${place.time_s.toFixed(4)}`;
const NEAR_S = 0.06;
const FAR_S = 1;

/** Second look: the doubtful places, worst first, worked off with the keyboard. */
export function SecondLook({ doing, document, revision, overview, pieces, partId, lengthS }: BenchProps) {
  const looking = useWindow((state) => state.looking)!;
  const set = useWindow((state) => state.set);
  const list = useSecondLook(doing.id, looking.allParts ? null : partId, revision, true);
  const [givingAt, setGivingAt] = useState<string | null>(null);
  const all = useMemo(() => list.data?.places ?? [], [list.data]);
  const skipped = useMemo(() => new Set(looking.skipped), [looking.skipped]);
  const open = useMemo(() => all.filter((place) => !skipped.has(keyOf(place))), [all, skipped]);
  const place = all.find((one) => keyOf(one) === looking.at) ?? open[0] ?? null;
  const index = place ? all.indexOf(place) : -1;
  // The list brings the worst places of long ones: what is left is counted in all of them.
  const total = list.data?.total ?? all.length;
  const most = Math.max(looking.most, total);
  const done = most - total + (all.length - open.length);

  useEffect(() => {
    if (total > looking.most) set({ looking: { ...looking, most: total } });
  }, [total, looking, set]);
  const at = place ? keyOf(place) : null;
  const giving = givingAt !== null && givingAt === at;
  useEffect(() => {
    if (!place) return;
    const { view } = useWindow.getState();
    const spanS = Math.min(view.spanS, 4);
    set({
      partId: place.part_id,
      selectedS: place.time_s,
      chosenS: [],
      playheadS: Math.max(place.time_s - 0.35, 0),
      loop: { startS: Math.max(place.time_s - 0.35, 0), endS: Math.min(place.time_s + 0.65, lengthS) },
      view: fitView({ spanS, startS: place.time_s - spanS / 2 }, lengthS),
    });
    // A place is gone to once, not each time the list is read anew.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [at]);

  const next = (from: number) => {
    const order = [...all.slice(from + 1), ...all.slice(0, from + 1)];
    const found = order.find((one) => !skipped.has(keyOf(one)) && keyOf(one) !== at);
    return found ? keyOf(found) : null;
  };
  const mark = async (kind: 'keep' | 'drop') => {
    if (!place) return;
    const following = next(index);
    const marks = { [newId()]: { kind, time_s: place.found_s } };
    if (await doing.act({ kind: 'mark', part_id: place.part_id, marks }))
      set({ looking: { ...useWindow.getState().looking!, at: following } });
  };
  const giveTo = async (toPartId: string) => {
    if (!place) return;
    const following = next(index);
    setGivingAt(null);
    if (await doing.give(place.part_id, toPartId, [place.time_s]))
      set({ looking: { ...useWindow.getState().looking!, at: following } });
  };
  const skip = () => {
    if (!place) return;
    set({
      looking: { ...looking, skipped: [...new Set([...looking.skipped, keyOf(place)])], at: next(index) },
    });
  };
  const back = () => {
    const last = looking.skipped[looking.skipped.length - 1];
    if (last) set({ looking: { ...looking, skipped: looking.skipped.slice(0, -1), at: last } });
    else if (index > 0) set({ looking: { ...looking, at: keyOf(all[index - 1]!) } });
  };
  /** Hear one microphone around the place, over and over. */
  const listen = (toPartId: string | undefined) => {
    if (!place || !toPartId) return;
    const { playAsked } = useWindow.getState();
    set({
      listenPart: toPartId,
      hearing: 'recording',
      looping: true,
      playheadS: Math.max(place.time_s - 0.35, 0),
      playAsked: playAsked + 1,
    });
  };
  /** Hear the place, then a typical stroke of what it may be. */
  const hearTypical = (timeS: number) => {
    const { notify } = useWindow.getState();
    if (place?.either)
      void hearMoments(
        doing.id,
        place.either.head_id,
        [place.time_s, timeS],
        document.rate_hz ?? 44100,
      ).catch((error: Error) => notify(error.message));
  };
  useEffect(() => () => set({ listenPart: null }), [set]);
  const others = notedParts(document, pieces).filter(([id]) => id !== place?.part_id);
  const leave = () => set({ looking: null, selectedS: null });
  const commands = {
    keep: () => void mark('keep'),
    drop: () => void mark('drop'),
    give: () => setGivingAt(giving ? null : at),
    next: skip,
    previous: back,
    hearIts: () => listen(place?.part_id),
    hearOther: () =>
      place?.either
        ? place.either.other.typical_s !== null && hearTypical(place.either.other.typical_s)
        : listen(place?.suspect?.part_id),
    secondLook: leave,
    leave: () => (giving ? setGivingAt(null) : leave()),
  };
  // While it is asked to whom, the numbers beside the parts answer.
  const numbers = others.slice(0, 9).map(([id], number) => [String(number + 1), () => void giveTo(id)]);
  useCommands(commands, giving ? Object.fromEntries(numbers) : {});

  const scope = (
    <button
      type="button"
      className="plain-act light"
      onClick={() => set({ looking: { allParts: !looking.allParts, most: 0, skipped: [], at: null } })}
    >
      {looking.allParts ? 'in all parts' : 'in this part'}
    </button>
  );
  if (!place) {
    return (
      <div className="second-look finished" data-testid="second-look">
        <div>
          <h2>
            {list.isLoading
              ? 'Second look'
              : skipped.size
                ? 'You have been through the list.'
                : 'Nothing is left to look at.'}
          </h2>
          <p>
            {list.isLoading
              ? 'Weighing every decision …'
              : list.data?.analysing
                ? 'Some recordings are still being listened to; more places may come.'
                : skipped.size
                  ? `${skipped.size} skipped ` +
                    (skipped.size === 1 ? 'place is still in doubt.' : 'places are still in doubt.')
                  : 'Every decision is sure, or made by hand.'}
          </p>
          <div className="acts">
            {skipped.size > 0 && (
              <button
                type="button"
                className="plain-act"
                onClick={() => set({ looking: { ...looking, skipped: [], at: null } })}
              >
                Look at the skipped ones
              </button>
            )}
            <button type="button" className="plain-act" onClick={leave}>
              <KeyOf of="secondLook" /> Back to the field
            </button>
            <span className="about">
              <KeyOf of="nextBench" /> goes on to Shape.
            </span>
            {scope}
          </div>
        </div>
      </div>
    );
  }
  const piece = pieces.get(document.parts?.[place.part_id]?.piece ?? '');
  const source = document.sources?.[place.source_id];
  const suspect = place.suspect;
  const either = place.either;
  const theirs = suspect ? document.sources?.[suspect.source_id] : undefined;
  const theirPiece = suspect ? pieces.get(document.parts?.[suspect.part_id]?.piece ?? '') : undefined;
  const lag = suspect ? 1000 * (place.time_s - suspect.time_s) : 0;
  return (
    <div className="second-look" data-testid="second-look">
      <div className="look-words">
        <div className="look-head">
          <h2>Second look</h2>
          <span className="number" data-testid="look-count">
            {done} of {most} done
          </span>
          {scope}
        </div>
        <p className="look-place">
          {piece && <PieceMark piece={piece} />} <strong>{place.part_name}</strong>
          <span className="number">{clock(place.time_s, 3)}</span>
          <span className="number">wrong with {Math.round(100 * place.doubt)} %</span>
        </p>
        <p className="look-reason" data-testid="look-reason">
          {either && (
            <strong>
              {either.own.name} or {either.other.name.toLowerCase()}? {Math.round(100 * either.own.share)} to{' '}
              {Math.round(100 * either.other.share)}.{' '}
            </strong>
          )}
          {place.text}
        </p>
        {giving ? (
          <div className="acts giving" role="group" aria-label="Give this stroke to">
            <span>Give to</span>
            {others.slice(0, 9).map(([id, part], number) => (
              <button type="button" className="plain-act" key={id} onClick={() => void giveTo(id)}>
                <Key>{String(number + 1)}</Key>{' '}
                {overview?.parts.find((one) => one.part_id === id)?.name ?? pieces.get(part.piece)?.name}
              </button>
            ))}
          </div>
        ) : (
          <div className="acts">
            <button type="button" className="plain-act" onClick={() => void mark('keep')}>
              <KeyOf of="keep" /> {place.counts ? 'Keep' : 'It is a hit'}
            </button>
            <button type="button" className="plain-act" onClick={() => void mark('drop')}>
              <KeyOf of="drop" /> {place.counts ? 'Drop' : 'Leave it out'}
            </button>
            <button
              type="button"
              className="plain-act"
              onClick={() => setGivingAt(at)}
              disabled={!others.length}
            >
              <KeyOf of="give" /> Give to…
            </button>
            <button type="button" className="plain-act" onClick={skip}>
              <KeyOf of="next" /> Skip
            </button>
            <button type="button" className="plain-act" onClick={back}>
              <KeyOf of="previous" /> Back
            </button>
            <button type="button" className="plain-act" onClick={leave}>
              <KeyOf of="secondLook" /> Leave
            </button>
          </div>
        )}
      </div>
      <div className="look-pictures">
        {source && piece && (
          <Pair
            source={source}
            ink={piece.ink}
            name={either ? 'this place' : `${place.part_name} microphone`}
            command="hearIts"
            onListen={() => listen(place.part_id)}
            aboutS={place.time_s}
            markS={place.time_s}
          />
        )}
        {source && either ? (
          [either.own, either.other].map(
            (one) =>
              one.typical_s !== null && (
                <figure key={one.piece}>
                  <Close
                    source={source}
                    ink={pieces.get(one.piece)?.ink ?? 'loop'}
                    aboutS={one.typical_s}
                    markS={one.typical_s}
                    reachS={NEAR_S}
                    label={`A typical stroke of ${one.name.toLowerCase()}, 60 ms to both sides`}
                  />
                  <figcaption>
                    <button type="button" className="plain-act" onClick={() => hearTypical(one.typical_s!)}>
                      {one === either.other && <KeyOf of="hearOther" />} a typical {one.name.toLowerCase()}
                    </button>
                    <span className="number">{clock(one.typical_s, 2)}</span>
                  </figcaption>
                </figure>
              ),
          )
        ) : theirs && theirPiece && suspect ? (
          <Pair
            source={theirs}
            ink={theirPiece.ink}
            name={`${suspect.name}, struck ${Math.abs(lag).toFixed(1)} ms ${lag >= 0 ? 'before' : 'after'}`}
            command="hearOther"
            onListen={() => listen(suspect.part_id)}
            aboutS={place.time_s}
            markS={suspect.time_s}
          />
        ) : (
          <p className="about nobody">No other microphone is suspected here.</p>
        )}
      </div>
    </div>
  );
}

function Pair({
  source,
  ink,
  name,
  aboutS,
  markS,
  command,
  onListen,
}: {
  source: Parameters<typeof Close>[0]['source'];
  ink: string;
  name: string;
  aboutS: number;
  markS: number;
  command: CommandId;
  onListen: () => void;
}) {
  return (
    <figure>
      <Close {...{ source, ink, aboutS, markS }} reachS={NEAR_S} label={`${name}, 60 ms to both sides`} />
      <Close {...{ source, ink, aboutS, markS }} reachS={FAR_S} label={`${name}, one second to both sides`} />
      <figcaption>
        <button type="button" className="plain-act" onClick={onListen}>
          <KeyOf of={command} /> {name}
        </button>
        <span className="number">± 60 ms</span>
        <span className="number">± 1 s</span>
      </figcaption>
    </figure>
  );
}
