import { useCallback, useEffect } from 'react';
import type { Document } from '../api/client';
import { player } from '../sound/player';
import { fitView, useWindow } from '../state/window';

/** Tie the player to the window: what is heard follows the switches, the line follows the sound. */
export function usePlaying(id: string, document: Document | undefined, revision: number | undefined, lengthS: number) {
  const hearing = useWindow((state) => state.hearing);
  const alone = useWindow((state) => state.alone);
  const partId = useWindow((state) => state.partId);
  const loop = useWindow((state) => state.loop);
  const looping = useWindow((state) => state.looping);
  const playing = useWindow((state) => state.playing);
  const heardPart = alone ? partId : null;
  const rateHz = document?.rate_hz ?? 44100;

  const toggle = useCallback(() => {
    const { playheadS, set, loop: range, looping: on } = useWindow.getState();
    if (player.playing) {
      player.stop();
      set({ playing: false });
      return;
    }
    if (!lengthS) return;
    const inLoop = on && range && (playheadS < range.startS || playheadS >= range.endS - 0.01);
    const fromS = inLoop ? range.startS : playheadS >= lengthS - 0.01 ? 0 : playheadS;
    set({ playing: true });
    void player.play({ sessionId: id, rateHz, lengthS, partId: heardPart }, fromS);
  }, [id, rateHz, lengthS, heardPart]);

  useEffect(() => {
    player.onEnd = () => useWindow.getState().set({ playing: false });
    player.onProblem = (text) => useWindow.getState().notify(text);
    return () => {
      player.stop();
      useWindow.getState().set({ playing: false });
    };
  }, [id]);
  useEffect(() => player.hear(hearing), [hearing]);
  useEffect(() => player.setLoop(looping ? loop : null), [loop, looping]);
  useEffect(() => {
    if (player.playing) player.refresh({ sessionId: id, rateHz, lengthS, partId: heardPart });
  }, [id, rateHz, lengthS, heardPart, revision]);

  // What would be heard first is fetched while nothing plays, so Space answers at once.
  const standingS = useWindow((state) => (state.playing ? null : state.playheadS));
  useEffect(() => {
    player.unready();
    if (standingS === null || !lengthS) return;
    const timer = setTimeout(() => player.ready({ sessionId: id, rateHz, lengthS, partId: heardPart }, standingS), 80);
    return () => clearTimeout(timer);
  }, [standingS, id, rateHz, lengthS, heardPart, revision, loop, looping]);

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
