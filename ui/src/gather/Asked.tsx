import { useEffect, useRef } from 'react';
import { Button } from 'react-bootstrap';
import type { Piece, Source } from '../api/client';
import { Key } from '../shell/Key';
import { PieceMark } from '../shell/PieceMark';
import { player } from '../sound/player';
import { useWindow } from '../state/window';
import { hearBeginning } from './hearBeginning';

const POINTED_MS = 250; // so long something is pointed at before it sounds: passing over is no asking

/** What a source may be where that is not sure: the likeliest, each under its key; pointing at it plays it. */
export function Asked({
  sessionId,
  partId,
  source,
  rateHz,
  pieces,
  onChoose,
}: {
  sessionId: string;
  partId: string;
  source: Source;
  rateHz: number;
  pieces: Map<string, Piece>;
  onChoose: (piece: string) => void;
}) {
  const timer = useRef(0);
  const guess = source.guess;
  const quiet = () => window.clearTimeout(timer.current);
  useEffect(() => quiet, []);
  if (!guess?.asks) return null;
  const point = () => {
    quiet();
    if (player.playing) return;
    timer.current = window.setTimeout(() => {
      hearBeginning(sessionId, partId, source.clips[0]?.start_s ?? 0, rateHz).catch((error: unknown) =>
        useWindow.getState().notify(error instanceof Error ? error.message : String(error)),
      );
    }, POINTED_MS);
  };
  // A microphone over the kit is taken as the crash it yields, and is asked about as what it is.
  const own = guess.over_the_kit ? 'overheads' : pieces.get(guess.piece)?.name.toLowerCase();
  const likely = [{ piece: guess.piece, sure: guess.sure, named: own }, ...(guess.others ?? [])].sort(
    (one, other) => other.sure - one.sure,
  );
  return (
    <div
      className="asked"
      role="group"
      aria-label={`What is ${source.name}?`}
      onPointerEnter={point}
      onPointerLeave={quiet}
    >
      <strong>Is it</strong>
      {likely.map((one) => {
        const piece = pieces.get(one.piece);
        return (
          piece && (
            <Button key={one.piece} variant="link" className="plain-act" onClick={() => onChoose(one.piece)}>
              <PieceMark piece={piece} /> {one.named ?? piece.name.toLowerCase()}
              <span className="quiet">{Math.round(100 * one.sure)} %</span> <Key>Shift</Key>
              <Key>{piece.key.toUpperCase()}</Key>
            </Button>
          )
        );
      })}
      <button type="button" className="plain-act light" onClick={point}>
        Hear it
      </button>
    </div>
  );
}
