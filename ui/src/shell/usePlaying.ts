import { useCallback, useEffect, useMemo, useRef } from 'react';
import type { Document } from '../api/client';
import { AT_ONCE_S, player, type Heard } from '../sound/player';
import { useWindow } from '../state/window';
import { fitView } from '../state/view';
import { useMatch } from './useMatch';

/** Whether anything goes through stages or buses: then what is heard together is not the sum of what is heard alone. */
function isMixed(document: Document | undefined): boolean {
  const parts = Object.values(document?.parts ?? {});
  return (
    Object.keys(document?.buses ?? {}).length > 0 ||
    parts.some((one) => (one.chain ?? []).length > 0 || (one.layers_chain ?? []).length > 0)
  );
}

/** Tie the player to the window: what is heard follows the switches, the line follows the sound. */
export function usePlaying(
  id: string,
  document: Document | undefined,
  revision: number | undefined,
  lengthS: number,
) {
  const hearing = useWindow((state) => state.hearing);
  const alone = useWindow((state) => state.alone);
  const partId = useWindow((state) => state.partId);
  const loop = useWindow((state) => state.loop);
  const looping = useWindow((state) => state.looping);
  const playing = useWindow((state) => state.playing);
  const ticking = useWindow((state) => state.trigger);
  const triggerSound = useWindow((state) => state.triggerSound);
  const throughDetector = useWindow((state) => state.detector);
  const draft = useWindow((state) => state.draft);
  const listenPart = useWindow((state) => state.listenPart);
  const before = useWindow((state) => state.before);
  const playAsked = useWindow((state) => state.playAsked);
  const drumsOnly = useWindow((state) => state.drumsOnly);
  const back = useWindow((state) => state.back);
  const tried = useWindow((state) => state.tried);
  const click = useWindow((state) => state.click);
  const without = useWindow((state) => state.without);
  const busAlone = useWindow((state) => state.busAlone);
  const mixed = isMixed(document);
  // A loop over an empty bar behind the end plays as well: there is something to play to.
  const heardS = looping && loop ? Math.max(lengthS, loop.endS) : lengthS;
  const rateHz = document?.rate_hz ?? 44100;
  const moved = (ticking || throughDetector) && draft?.partId === partId ? JSON.stringify(draft?.find) : null;
  const heard = useMemo<Heard>(() => {
    const of = partId && { partId, find: moved };
    return {
      sessionId: id,
      rateHz,
      lengthS: heardS,
      partId: listenPart ?? (alone ? partId : null),
      trigger: ticking && of ? { ...of, sound: triggerSound } : null,
      detector: throughDetector && of ? of : null,
      before,
      drumsOnly,
      back,
      tried,
      click,
      mixed,
      without: without && JSON.stringify(without),
      busId: busAlone,
    };
  }, [
    id,
    rateHz,
    heardS,
    alone,
    partId,
    listenPart,
    ticking,
    triggerSound,
    throughDetector,
    moved,
    before,
    drumsOnly,
    back,
    tried,
    click,
    mixed,
    without,
    busAlone,
  ]);
  const match = useMatch(id, heard, revision, looping ? loop : null);

  const toggle = useCallback(() => {
    const { playheadS, set, loop: range, looping: on } = useWindow.getState();
    if (player.playing) {
      player.stop();
      set({ playing: false });
      return;
    }
    if (!heardS) return;
    const inLoop = on && range && (playheadS < range.startS || playheadS >= range.endS - 0.01);
    const fromS = inLoop ? range.startS : playheadS >= heardS - 0.01 ? 0 : playheadS;
    set({ playing: true });
    void player.play(heard, fromS);
  }, [heard, heardS]);

  const heardNow = useRef(heard);
  useEffect(() => {
    heardNow.current = heard;
  }, [heard]);
  useEffect(() => {
    if (!playAsked || !heardNow.current.lengthS) return;
    const { playheadS, set } = useWindow.getState();
    set({ playing: true });
    void player.play(heardNow.current, playheadS);
  }, [playAsked]);

  useEffect(() => {
    player.onEnd = () => useWindow.getState().set({ playing: false });
    player.onProblem = (text) => useWindow.getState().notify(text);
    return () => {
      player.stop();
      useWindow.getState().set({ playing: false });
    };
  }, [id]);
  useEffect(() => player.hear(hearing, match), [hearing, match]);
  useEffect(() => player.setLoop(looping ? loop : null), [loop, looping]);
  useEffect(() => {
    // A sound that is stepped to, or the change held back, is wanted at once; a new revision may take its
    // time to come.
    if (player.playing) player.refresh(heard, tried || back || heard.mixed ? AT_ONCE_S : undefined);
  }, [heard, revision, tried, back]);
  useEffect(() => {
    // The click goes over into what is heard now.
    if (player.playing && click) player.refresh(heard);
    // Only when what is heard changes.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [hearing === 'recording']);

  // What would be heard first is fetched while nothing plays, so Space answers at once.
  const standingS = useWindow((state) => (state.playing ? null : state.playheadS));
  useEffect(() => {
    player.unready();
    if (standingS === null || !heardS) return;
    const timer = setTimeout(() => player.ready(heard, standingS), 80);
    return () => clearTimeout(timer);
  }, [standingS, heard, heardS, revision, loop, looping]);

  useEffect(() => {
    if (!playing) return;
    let frame = 0;
    const follow = () => {
      const at = player.positionS();
      if (at !== null) {
        const { view, set } = useWindow.getState();
        const past = at > view.startS + view.spanS || at < view.startS;
        set(
          past
            ? { playheadS: at, view: fitView({ ...view, startS: at - view.spanS * 0.06 }, lengthS) }
            : { playheadS: at },
        );
      }
      frame = requestAnimationFrame(follow);
    };
    frame = requestAnimationFrame(follow);
    return () => cancelAnimationFrame(frame);
  }, [playing, lengthS]);

  return { toggle };
}
