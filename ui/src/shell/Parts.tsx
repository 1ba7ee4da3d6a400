import { KeyOf } from '../commands/KeyOf';
import { ButtonGroup, ListGroup, ToggleButton } from 'react-bootstrap';
import { useParams } from 'react-router';
import { useWindow } from '../state/window';
import type { Hearing } from '../state/listening';
import type { Part } from '../api/client';
import { orderedParts, type BenchProps } from './bench';
import { PieceMark } from './PieceMark';
import { Progress } from './Progress';

// Letters and digits that a line has room for at its usual size.
const ROOM = 11;

/** The parts down the side, and what is heard. */
export function Parts({ document, overview, pieces, partId }: BenchProps) {
  const set = useWindow((state) => state.set);
  // Under its drum, what was divided from it need not name it once more.
  const shortName = (name: string, part: Part) => {
    const whole = overview?.parts.find((one) => one.part_id === part.sorted_from)?.name;
    return whole && name.startsWith(`${whole}, `) ? name.slice(whole.length + 2) : name;
  };
  return (
    <aside className="parts" aria-label="Parts">
      <div className="column-head">
        <span>Parts</span>
        <span>hits · look</span>
      </div>
      <ListGroup variant="flush">
        {orderedParts(document).map(([id, part]) => {
          const about = overview?.parts.find((one) => one.part_id === id);
          const piece = pieces.get(part.piece);
          const name = about?.name ?? piece?.name ?? '';
          const letters = `${shortName(name, part)}${about?.time_s.length ?? ''}${about?.doubtful || ''}`
            .length;
          return (
            <ListGroup.Item
              key={id}
              action
              active={id === partId}
              className={[letters > ROOM && 'crowded', part.sorted_from && 'told', part.muted && 'muted']
                .filter(Boolean)
                .join(' ')}
              onClick={() => set({ partId: id, selectedS: null, chosenS: [], draft: null })}
            >
              {piece && <PieceMark piece={piece} />}
              <span className="part-name" title={name}>
                {shortName(name, part)}
              </span>
              {about && about.progress < 1 ? (
                <Progress now={about.progress * 100} aria-label="Being analysed" />
              ) : (
                <>
                  <span className="number">{about?.noted === false ? '' : (about?.time_s.length ?? '')}</span>
                  <span className={`look-number number ${about?.doubtful ? '' : 'none'}`}>
                    {about?.doubtful ? about.doubtful : ''}
                  </span>
                </>
              )}
            </ListGroup.Item>
          );
        })}
      </ListGroup>
      <Hear
        layering={useParams().bench === 'layer'}
        backed={orderedParts(document).some(([, one]) => one.piece === 'heard')}
      />
    </aside>
  );
}

const WORDS: [Hearing, string][] = [
  ['recording', 'Recording'],
  ['layers', 'Layers'],
  ['both', 'Both'],
];

function Hear({ layering, backed }: { layering: boolean; backed: boolean }) {
  const matched = useWindow((state) => state.matched);
  const drumsOnly = useWindow((state) => state.drumsOnly);
  const back = useWindow((state) => state.back);
  const hearing = useWindow((state) => state.hearing);
  const alone = useWindow((state) => state.alone);
  const set = useWindow((state) => state.set);
  return (
    <div className="hear">
      <div className="column-head">
        <span>Hear</span>
        <span className="number">1 2 3</span>
      </div>
      <ButtonGroup aria-label="What is heard">
        {WORDS.map(([value, word]) => (
          <ToggleButton
            key={value}
            id={`hear-${value}`}
            type="radio"
            name="hear"
            variant="ink"
            value={value}
            checked={hearing === value}
            onChange={() => set({ hearing: value })}
          >
            {word}
          </ToggleButton>
        ))}
      </ButtonGroup>
      <button type="button" className="plain-act" aria-pressed={alone} onClick={() => set({ alone: !alone })}>
        <KeyOf of="alone" /> {alone ? 'this part alone' : 'all parts together'}
      </button>
      {layering && (
        <>
          <button
            type="button"
            className="plain-act"
            aria-pressed={matched}
            onClick={() => set({ matched: !matched })}
          >
            <KeyOf of="oneLoudness" /> {matched ? 'at one loudness' : 'loud as they are'}
          </button>
          {backed && (
            <button
              type="button"
              className="plain-act"
              aria-pressed={drumsOnly}
              onClick={() => set({ drumsOnly: !drumsOnly })}
            >
              <KeyOf of="drumsOnly" /> {drumsOnly ? 'drums only' : 'with the backing'}
            </button>
          )}
        </>
      )}
      <span className={`held ${back ? 'now' : ''}`}>
        <KeyOf of="asBefore" /> {back ? 'as it was before' : 'hold: before the change'}
      </span>
    </div>
  );
}
