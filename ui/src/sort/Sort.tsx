import { useCallback, useMemo, useState } from 'react';
import { KeyOf } from '../commands/KeyOf';
import { pieceKey } from '../commands/catalogue';
import { Clearest } from '../cut/Clearest';
import { useKeptKit } from '../cut/useKeptKit';
import { UnderWay } from '../shell/UnderWay';
import { useCommands } from '../commands/useCommands';
import type { Keys } from '../commands/useKeys';
import { headOf, type BenchProps } from '../shell/bench';
import { fitView, viewShowing, zoomAbout, zoomView } from '../state/view';
import { useWindow } from '../state/window';
import { choicesOf, type Choice } from './choices';
import { offered, reaching, type Offer } from './Offered';
import { groupSaid, strokeSaid } from './said';
import { DOUBTFUL, SoundMap } from './SoundMap';
import { SoundsList } from './SoundsList';
import { StrokesOnStaff } from './StrokesOnStaff';
import { ThisSound } from './ThisSound';
import { useCorrections } from './useCorrections';
import { askFollowing, hearMoments, useSortMap, type SortMap, type Stroke, type To } from './useSort';
import './sort.scss';

/** The stroke that a hand gave to a piece at a place, or null. */
function givenAt(map: SortMap, foundS: number): number | null {
  const index = map.found_s.findIndex((one, place) => one === foundS && map.by_hand[place]);
  return index < 0 ? null : index;
}
const NONE: ReadonlySet<number> = new Set();
const keyOf = (stroke: Stroke) => `${stroke.part_id} ${stroke.found_s}`;
const partOf = (map: SortMap, group: number) => map.parts[map.groups[group]!.part]!;
const groupKey = (map: SortMap, group: number) => {
  const { articulation, ghost } = map.groups[group]!;
  return `${partOf(map, group).part_id} ${articulation} ${ghost}`;
};
const strokeOf = (map: SortMap, index: number): Stroke => ({
  part_id: map.parts[map.part[index]!]!.part_id,
  found_s: map.found_s[index]!,
});
const strokesOf = (map: SortMap, group: number) =>
  map.group.flatMap((of, index) => (of === group ? [index] : []));

/** Sort: which piece was it? Every sound of a source laid out; one correction teaches the rest. */
export function Sort(props: BenchProps) {
  const { doing, document, revision, pieces, library, partId, lengthS, overview } = props;
  const headId = headOf(document, partId);
  const asked = useSortMap(doing.id, headId, revision);
  const map = asked.data;
  const set = useWindow((state) => state.set);
  const notify = useWindow((state) => state.notify);
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [atKey, setAtKey] = useState<string | null>(null);
  const [named, setNamed] = useState<string | null>(null);
  const [pointed, setPointed] = useState<{ index: number; x: number; y: number } | null>(null);
  const [made, setOffer] = useState<Offer | null>(null);
  // What was offered after one edit no longer stands after another, or when that one is undone.
  const offer = made?.revision === revision ? made : null;
  const [joining, setJoining] = useState(false);
  const [also, setAlso] = useState(false);
  const say = useCorrections(props, headId);

  const places = useMemo(
    () => new Map((map?.part ?? []).map((_, index) => [keyOf(strokeOf(map!, index)), index])),
    [map],
  );
  const placeOf = useCallback((key: string) => places.get(key) ?? [], [places]);
  const chosen = useMemo(() => new Set([...picked].flatMap(placeOf)), [picked, placeOf]);
  const follows = useMemo(
    () => (offer ? new Set(offered(offer).flatMap((one) => placeOf(keyOf(one)))) : NONE),
    [offer, placeOf],
  );
  // A stroke that was given to another piece stays the one that is looked at.
  const at = atKey === null || !map ? null : (places.get(atKey) ?? givenAt(map, Number(atKey.split(' ')[1])));
  const choices = useMemo(() => choicesOf(library), [library]);
  const target = [...(chosen.size ? chosen : at !== null ? [at] : [])];
  const found =
    named === null || !map ? -1 : map.groups.findIndex((_, index) => groupKey(map, index) === named);
  const group = found >= 0 ? found : at !== null && map ? map.group[at]! : null;
  const part = group !== null && map ? partOf(map, group) : null;

  const hear = (indices: number[]) => hearAt(indices.map((index) => map!.time_s[index]!));
  const hearAt = (timesS: number[]) => {
    if (!timesS.length || !headId) return;
    const failed = (error: Error) => notify(error.message);
    void hearMoments(doing.id, headId, timesS, document.rate_hz ?? 44100).catch(failed);
  };
  const zoomStaff = (factor: number | null) => {
    const now = useWindow.getState();
    const all = { startS: 0, spanS: lengthS };
    const view = factor === null ? all : zoomView(now.view, factor, zoomAbout(now), lengthS);
    set({ view: fitView(view, lengthS) });
  };
  const letGo = () => {
    setOffer(null);
    setAlso(false);
    setJoining(false);
    setPicked(new Set());
    setAtKey(null);
    setNamed(null);
  };
  const choose = (indices: number[], more: boolean) => {
    if (!map) return;
    const keys = indices.map((index) => keyOf(strokeOf(map, index)));
    const next = new Set(more ? picked : []);
    for (const key of keys) if (!more || !next.delete(key)) next.add(key);
    setPicked(next);
    setJoining(false);
    setNamed(null);
    setAtKey(keys[0] ?? null);
    if (more || !keys.length) return;
    setOffer(null);
    const first = indices[0]!;
    const timeS = map.time_s[first]!;
    set({
      partId: strokeOf(map, first).part_id,
      playheadS: timeS,
      view: viewShowing(useWindow.getState().view, timeS, lengthS),
    });
    if (indices.length === 1) hear(indices);
  };
  const chooseGroup = (index: number, more = false) => {
    if (!map) return;
    if (joining && part) {
      const other = partOf(map, index).part_id;
      const times = map.part.flatMap((of, stroke) =>
        map.parts[of]!.part_id === other ? [map.found_s[stroke]!] : [],
      );
      setJoining(false);
      if (other !== part.part_id) void doing.join(part.part_id, other, times);
      return;
    }
    const keys = strokesOf(map, index).map((stroke) => keyOf(strokeOf(map, stroke)));
    setPicked(new Set(more ? [...picked, ...keys] : keys));
    setNamed(groupKey(map, index));
    setAtKey(keys[0] ?? null);
    if (!more) setOffer(null);
    set({ partId: partOf(map, index).part_id });
  };
  const give = async (choice: Choice, which: number[] = target) => {
    if (!map || !which.length || !headId) return;
    const strokes = which.map((index) => strokeOf(map, index));
    const to = { ...choice.to, also };
    if (!(await say.give(strokes, to))) return;
    setAlso(false);
    await offerFollowing(strokes, to, also ? `${choice.said} as well` : choice.said);
  };
  const offerFollowing = async (strokes: Stroke[], to: To, said: string) => {
    setPicked(new Set());
    setNamed(null);
    // Enter takes what follows; it does not press the sound that was clicked last.
    const pressed = window.document.activeElement;
    if (pressed instanceof HTMLButtonElement) pressed.blur();
    const answer = await askFollowing(doing.id, headId!, strokes, to).catch(() => null);
    const now = doing.state()?.revision ?? 0;
    const reach = answer?.usual_reach ?? 0;
    const reaches = answer?.reaches ?? 1;
    setOffer({ strokes, to, said, follows: answer?.strokes ?? [], reach, reaches, revision: now });
  };
  const takeAll = async () => {
    if (!offer || !follows.size) return;
    const strokes = offered(offer).map(({ part_id, found_s }) => ({ part_id, found_s }));
    const done = offer.to.nothing ? say.mark(strokes, 'drop') : say.give(strokes, offer.to);
    if (await done) setOffer(null);
  };
  const drop = async () => {
    const strokes = chosenStrokes();
    if (strokes.length && (await say.mark(strokes, 'drop')))
      await offerFollowing(strokes, { also: false, nothing: true }, 'Dropped');
  };
  const stepStroke = (by: number) => {
    if (!map?.part.length) return;
    choose([at === null ? 0 : Math.min(Math.max(at + by, 0), map.part.length - 1)], false);
  };
  const stepGroup = (by: number) => {
    if (map?.groups.length)
      chooseGroup(group === null ? 0 : Math.min(Math.max(group + by, 0), map.groups.length - 1));
  };
  const doubtful = () => {
    const order = (map?.doubt ?? [])
      .map((doubt, index) => ({ doubt, index }))
      .filter(({ doubt, index }) => doubt >= DOUBTFUL && !map!.by_hand[index])
      .sort((a, b) => b.doubt - a.doubt);
    const next = order[(order.findIndex(({ index }) => index === at) + 1) % Math.max(order.length, 1)];
    if (next) choose([next.index], false);
    else notify('Nothing here is in doubt.', true);
  };
  const chosenStrokes = () => target.map((index) => strokeOf(map!, index));
  const divide = () =>
    part &&
    void say.divide(
      part.part_id,
      chosenStrokes(),
      group !== null && map!.groups[group]!.ghost ? map!.groups[group]!.name : null,
    );
  // As the session stands: two presses in a row throw away and take back.
  const throwAway = () =>
    part && void say.throwAway(part.part_id, !doing.state()?.document.parts?.[part.part_id]?.muted);
  const hearChosen = () => hear(target.length ? target : group !== null ? strokesOf(map!, group) : []);
  const hearFollowers = () => hearAt((offer ? offered(offer) : []).map((one) => one.time_s));
  const reach = (by: 1 | -1) => offer && setOffer(reaching(offer, by));

  const kit = useKeptKit(doing.id);
  const keepBest = () => void kit.keep({ of: 'best' });

  const letters: Keys = Object.fromEntries(
    choices.map((choice) => [pieceKey(choice.key), () => void give(choice)]),
  );
  useCommands(
    {
      next: () => stepStroke(1),
      previous: () => stepStroke(-1),
      down: () => stepGroup(1),
      up: () => stepGroup(-1),
      similar: () => group !== null && chooseGroup(group),
      chooseAll: () => map && setPicked(new Set(map.part.map((_, index) => keyOf(strokeOf(map, index))))),
      hearIts: hearChosen,
      hearOther: hearFollowers,
      take: () => void takeAll(),
      fewer: () => reach(-1),
      more: () => reach(1),
      keep: () => void say.mark(chosenStrokes(), 'keep'),
      drop: () => void drop(),
      add: () => setAlso((now) => !now),
      takeBack: () => target[0] !== undefined && void say.takeBack(strokeOf(map!, target[0])),
      takeOut: throwAway,
      divide,
      together: () => setJoining((now) => !now),
      nextDoubt: doubtful,
      asOne: () => void say.asOne(),
      bestBar: keepBest,
      leave: letGo,
    },
    letters,
  );

  if (!headId || !map)
    return (
      <div className="empty">
        <p>
          {!headId
            ? 'Nothing here carries several pieces. Drop a loop, overheads or a mouth take in Gather.'
            : asked.error
              ? asked.error.message
              : 'Listening to every stroke …'}
        </p>
      </div>
    );
  const one = pointed?.index ?? (target.length === 1 ? target[0]! : null);
  const source = document.sources?.[document.parts?.[headId]?.sources[0] ?? '']?.name ?? 'this source';
  const head = overview?.parts.find((about) => about.part_id === headId)?.name ?? 'In it';
  return (
    <>
      <SoundsList map={map} pieces={pieces} group={group} source={source} onGroup={chooseGroup}>
        <section className="sort-clearest" aria-label="Stand most by themselves">
          <div className="column-head">
            <span>Stand most by themselves</span>
          </div>
          {kit.job ? (
            <UnderWay job={kit.job} said="making a kit" onCancel={kit.cancel} />
          ) : (
            <button type="button" className="plain-act" onClick={keepBest}>
              <KeyOf of="bestBar" /> kick, snare, hat as a kit
            </button>
          )}
          <Clearest
            doing={doing}
            revision={revision}
            pieces={pieces}
            sourceId={document.parts?.[headId]?.sources[0] ?? ''}
            partIds={map.parts.map((one) => one.part_id)}
            most={1}
            onGo={(timeS, partId) => {
              const index = map.time_s.findIndex(
                (at, i) => Math.abs(at - timeS) < 0.002 && map.parts[map.part[i]!]?.part_id === partId,
              );
              if (index >= 0) choose([index], false);
            }}
          />
        </section>
      </SoundsList>
      <div className="sort-stage">
        <SoundMap
          map={map}
          source={source}
          pieces={pieces}
          chosen={chosen}
          at={at}
          follows={follows}
          group={group}
          onChoose={choose}
          onGroup={chooseGroup}
          onZoom={zoomStaff}
          onPoint={(index, x, y) => setPointed(index === null ? null : { index, x, y })}
        />
        {pointed && pointed.index < map.part.length && (
          <div
            className="reason sort-reason"
            style={{ left: Math.min(pointed.x + 18, 420), top: Math.max(pointed.y - 70, 4) }}
          >
            {strokeSaid(map, pointed.index, pieces)}
          </div>
        )}
        <StrokesOnStaff
          map={map}
          headId={headId}
          document={document}
          pieces={pieces}
          lengthS={lengthS}
          chosen={chosen}
          at={at}
          follows={follows}
          onChoose={choose}
        />
      </div>
      <ThisSound
        title={group !== null ? map.groups[group]!.name : 'No sound is chosen'}
        said={
          chosen.size > 1
            ? group !== null && named !== null
              ? groupSaid(map, group)
              : `${chosen.size} strokes are chosen.`
            : one !== null && one < map.part.length
              ? strokeSaid(map, one, pieces)
              : group !== null
                ? groupSaid(map, group)
                : 'Point at a head to see what it is, click to hear it, or draw around several. Then say what it is.'
        }
        offer={offer}
        choices={choices}
        count={target.length}
        ofSound={group !== null}
        muted={part?.muted ?? false}
        joining={joining}
        also={also}
        onAlso={() => setAlso(!also)}
        foot={`${head}: ${map.moments} moments, ${map.part.length} strokes.`}
        onGive={(choice) => void give(choice)}
        onDropped={(choice, dragged) => map.groups[dragged] && void give(choice, strokesOf(map, dragged))}
        onTakeAll={() => void takeAll()}
        onHear={hearChosen}
        onHearFollowers={hearFollowers}
        onReach={reach}
        onThrowAway={throwAway}
        onDivide={divide}
        onJoin={() => setJoining(!joining)}
        onDoubtful={doubtful}
      />
    </>
  );
}
