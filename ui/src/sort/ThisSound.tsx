import { KeyOf } from '../commands/KeyOf';
import { Key } from '../shell/Key';
import { PieceMark } from '../shell/PieceMark';
import type { Choice } from './choices';
import { Offered, type Offer } from './Offered';
import { DRAGGED_SOUND } from './SoundsList';

interface Props {
  title: string;
  said: string;
  offer: Offer | null;
  choices: Choice[];
  /** How many strokes are chosen. */
  count: number;
  /** Whether a sound is chosen, and whether its part is thrown away. */
  ofSound: boolean;
  muted: boolean;
  joining: boolean;
  /** Whether the piece that is said next is struck there as well. */
  also: boolean;
  foot: string;
  onGive: (choice: Choice) => void;
  onDropped: (choice: Choice, group: number) => void;
  onAlso: () => void;
  onTakeAll: () => void;
  onHear: () => void;
  onHearFollowers: () => void;
  onReach: (by: 1 | -1) => void;
  onThrowAway: () => void;
  onDivide: () => void;
  onJoin: () => void;
  onDoubtful: () => void;
}

/** What is chosen, what it can be said to be, and what would follow. */
export function ThisSound(props: Props) {
  const { offer, count, muted } = props;
  return (
    <aside className="settings sort-side" aria-label="This sound">
      <h2>{props.title}</h2>
      <p className={offer ? 'sort-said short' : 'sort-said'} data-testid="sort-said">
        {props.said}
      </p>
      {offer && (
        <Offered
          offer={offer}
          onTake={props.onTakeAll}
          onHear={props.onHearFollowers}
          onReach={props.onReach}
        />
      )}
      <div className="column-head">
        <span>
          {count > 1 ? `These ${count} are` : 'It is'}
          {props.also && ' also'}
        </span>
        <span className="push">
          <Key>Shift</Key> and its letter
        </span>
      </div>
      <div className="it-is" role="group" aria-label="Give the chosen strokes to">
        {props.choices.map((choice) => (
          <button
            type="button"
            className="plain-act"
            key={choice.said}
            title={choice.said}
            aria-disabled={!count}
            onClick={() => props.onGive(choice)}
            onDragOver={(event) => event.preventDefault()}
            onDrop={(event) => {
              event.preventDefault();
              const dragged = event.dataTransfer.getData(DRAGGED_SOUND);
              if (dragged) props.onDropped(choice, Number(dragged));
            }}
          >
            <Key>{choice.key.toUpperCase()}</Key>
            <PieceMark piece={choice.piece} size={13} />
            <span>{choice.short}</span>
          </button>
        ))}
      </div>
      <div className="sort-acts">
        <button
          type="button"
          className="plain-act"
          disabled={!count && !props.ofSound}
          onClick={props.onHear}
        >
          <KeyOf of="hearIts" /> hear {count > 1 ? 'them one by one' : 'it'}
        </button>
        <button
          type="button"
          className="plain-act"
          disabled={!count}
          aria-pressed={props.also}
          onClick={props.onAlso}
        >
          <KeyOf of="add" /> {props.also ? 'now say what is struck as well' : 'struck with it: say what'}
        </button>
        <button type="button" className="plain-act" disabled={!props.ofSound} onClick={props.onThrowAway}>
          <KeyOf of="takeOut" /> {muted ? 'take the piece back' : 'throw the piece away'}
        </button>
        <button type="button" className="plain-act" disabled={!count} onClick={props.onDivide}>
          <KeyOf of="divide" /> make it a part of its own
        </button>
        <button
          type="button"
          className="plain-act"
          disabled={!props.ofSound}
          aria-pressed={props.joining}
          onClick={props.onJoin}
        >
          <KeyOf of="together" /> {props.joining ? 'now choose the other sound' : 'join with another'}
        </button>
        <button type="button" className="plain-act" onClick={props.onDoubtful}>
          <KeyOf of="nextDoubt" /> the most doubtful
        </button>
      </div>
      <p className="quiet sort-foot">{props.foot}</p>
    </aside>
  );
}
