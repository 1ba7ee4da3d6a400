import { useEffect, useRef, useState } from 'react';
import type { Piece } from '../api/client';
import { useKeys, type Keys } from '../commands/useKeys';
import { player } from '../sound/player';
import { useWindow } from '../state/window';

export interface Stroke {
  partId: string | null;
  piece: string;
  timeS: number;
  velocity: number;
  note: number | null;
}

const BY_KEY = 100; // a computer's keys do not know how hard
const MOST = 5000;

/**
 * Strokes played in while the session sounds: on the letters of the pieces, and on any MIDI keyboard or pad
 * the browser gives. They are handed on when playing in ends.
 */
export function usePlayIn(
  pieces: Map<string, Piece>,
  partOf: (piece: string) => string | null,
  pieceOfNote: (note: number) => { piece: string; partId: string | null } | null,
  onStroke: (stroke: Stroke) => void,
  onDone: (strokes: Stroke[]) => void,
) {
  const [on, setOn] = useState(false);
  const [strokes, setStrokes] = useState<Stroke[]>([]);
  const taken = useRef<Stroke[]>([]);
  const notify = useWindow((state) => state.notify);
  const strike = (piece: string, partId: string | null, velocity: number, note: number | null) => {
    const stroke = { piece, partId, velocity, note, timeS: player.positionS() ?? -1 };
    onStroke(stroke);
    // While nothing plays there is no time to put it at: it is only heard.
    if (stroke.timeS < 0 || taken.current.length >= MOST) return;
    taken.current = [...taken.current, stroke];
    setStrokes(taken.current);
  };
  const latest = useRef({ strike, pieceOfNote });
  useEffect(() => {
    latest.current = { strike, pieceOfNote };
  });
  useEffect(() => {
    if (!on || !('requestMIDIAccess' in navigator)) return;
    let inputs: MIDIInput[] = [];
    let gone = false;
    const heard = (event: MIDIMessageEvent) => {
      const [status = 0, note = 0, velocity = 0] = event.data ?? [];
      if ((status & 0xf0) !== 0x90 || !velocity) return;
      const of = latest.current.pieceOfNote(note);
      if (of) latest.current.strike(of.piece, of.partId, velocity, note);
    };
    navigator
      .requestMIDIAccess()
      .then((access) => {
        if (gone) return;
        inputs = [...access.inputs.values()];
        for (const input of inputs) input.addEventListener('midimessage', heard);
      })
      // Without leave to use MIDI the letters play all the same.
      .catch(() => undefined);
    return () => {
      gone = true;
      for (const input of inputs) input.removeEventListener('midimessage', heard);
    };
  }, [on]);
  const stop = () => {
    setOn(false);
    const done = taken.current;
    taken.current = [];
    setStrokes([]);
    if (done.length) onDone(done);
    else notify('Nothing was played in.', true);
  };
  const start = () => {
    taken.current = [];
    setStrokes([]);
    setOn(true);
  };
  const keys: Keys = {};
  if (on)
    for (const piece of pieces.values()) {
      const play = (event: KeyboardEvent) => {
        if (!event.repeat) strike(piece.id, partOf(piece.id), BY_KEY, null);
      };
      if (piece.noted) keys[piece.key] = keys[`Shift+${piece.key}`] = play;
    }
  useKeys(keys);
  return { on, strokes, start, stop };
}
