import { Form } from 'react-bootstrap';
import { limitOf } from '../api/limit';
import { KeyOf } from '../commands/KeyOf';
import { notedParts, type BenchProps } from '../shell/bench';
import { Setting } from './Setting';
import type { GapWork } from './useGaps';

type Name = 'down_db' | 'rings_db' | 'opens_ms' | 'fade_in_ms' | 'fade_out_ms' | 'passage_ms';

const SAID: Record<Name, [name: string, about: string]> = {
  down_db: ['Down by', '16 keeps the room; 60 is silence'],
  rings_db: ['Rings until', 'so far under its stroke nothing is changed'],
  opens_ms: ['Open before', 'ahead of every attack'],
  fade_in_ms: ['Opens within', 'ahead of that'],
  fade_out_ms: ['Goes down within', 'behind the ring'],
  passage_ms: ['A passage ends', 'after so long; its last stroke rings out whole'],
};

/** Gaps turned down: how far, how soon, for which recordings, and what a hand set. */
export function GapsView({
  document,
  library,
  pieces,
  part,
  gaps,
  foundS,
}: BenchProps & { gaps: GapWork; foundS: number | null }) {
  const { cleaning, told } = gaps;
  if (!part || !cleaning) return null;
  const close = notedParts(document, pieces)
    .filter(([, one]) => !one.sorted_from && isClose(one.piece, library.pieces))
    .flatMap(([, one]) => one.sources);
  const still = [...new Set(close)].filter((id) => !document.sources?.[id]?.cleaning?.on);
  const byHand = Object.keys(cleaning.marks ?? {}).length;
  return (
    <>
      <Form.Check
        type="switch"
        id="gaps-on"
        checked={cleaning.on}
        onChange={() => void gaps.turn(!cleaning.on)}
        label="Gaps turned down"
      />
      <p className="about" data-testid="gaps-said">
        <KeyOf of="gaps" />{' '}
        {!cleaning.on
          ? 'What other drums spill between the strokes goes down; every stroke rings out as it was recorded.'
          : told
            ? `${told.opens_s.length} stretches stay open, ${Math.round(100 * told.turned_down)} % of the ` +
              `recording goes down.${byHand ? ` ${byHand} set by hand.` : ''}`
            : 'Measuring how long it rings …'}
      </p>
      {cleaning.on && (
        <>
          {(Object.keys(SAID) as Name[]).map((name) => (
            <Setting
              key={name}
              name={SAID[name][0]}
              value={cleaning[name]}
              limit={limitOf('Cleaning', name)}
              about={SAID[name][1]}
              onMove={(value) => gaps.move({ [name]: value })}
              onDone={(value) => void gaps.done({ [name]: value })}
            />
          ))}
          <p className="about">
            Drag the line over the waveform: where a gap begins, where it is open again, how deep it is. By
            keys it is the gap behind the chosen stroke.
          </p>
          <p className="curve-line">
            <button
              type="button"
              className="plain-act light"
              disabled={foundS === null}
              onClick={() => gaps.asTold(foundS)}
            >
              <KeyOf of="unmend" /> this gap as told
            </button>
            {byHand > 0 && (
              <button
                type="button"
                className="plain-act light"
                onClick={() => gaps.allAsTold(cleaning.marks ?? {})}
              >
                all as told
              </button>
            )}
          </p>
        </>
      )}
      {still.length > 0 && (still.length > 1 || cleaning.on) && (
        <button type="button" className="plain-act light" onClick={() => void gaps.turn(true, still)}>
          {cleaning.on ? 'the other drums too' : 'all drums: not hats, cymbals, overheads'}
        </button>
      )}
    </>
  );
}

/** Whether a piece has a microphone close to a drum: not hats and cymbals, the overheads, the room, or a loop. */
const isClose = (pieceId: string, pieces: BenchProps['library']['pieces']): boolean =>
  ['kick', 'drum'].includes(pieces.find((one) => one.id === pieceId)?.family ?? '');
