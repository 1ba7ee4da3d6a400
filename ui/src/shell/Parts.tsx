import { ButtonGroup, ListGroup, ProgressBar, ToggleButton } from 'react-bootstrap';
import { useWindow, type Hearing } from '../state/window';
import { orderedParts, type BenchProps } from './bench';
import { Key } from './Key';
import { PieceMark } from './PieceMark';

/** The parts down the side, and what is heard. */
export function Parts({ document, overview, pieces, partId }: BenchProps) {
  const set = useWindow((state) => state.set);
  return (
    <aside className="parts">
      <div className="column-head">
        <span>Parts</span>
        <span>hits</span>
      </div>
      <ListGroup variant="flush">
        {orderedParts(document).map(([id, part]) => {
          const about = overview?.parts.find((one) => one.part_id === id);
          const piece = pieces.get(part.piece);
          return (
            <ListGroup.Item
              key={id}
              action
              active={id === partId}
              onClick={() => set({ partId: id, selectedS: null, draft: null })}
            >
              {piece && <PieceMark piece={piece} />}
              <span className="part-name">{about?.name ?? piece?.name}</span>
              {about && about.progress < 1 ? (
                <ProgressBar now={about.progress * 100} aria-label="Being analysed" />
              ) : (
                <span className="number">{about?.time_s.length ?? ''}</span>
              )}
            </ListGroup.Item>
          );
        })}
      </ListGroup>
      <Hear />
    </aside>
  );
}

const WORDS: [Hearing, string][] = [
  ['recording', 'Recording'],
  ['layers', 'Layers'],
  ['both', 'Both'],
];

function Hear() {
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
        <Key>S</Key> {alone ? 'this part alone' : 'all parts together'}
      </button>
    </div>
  );
}
