import type { ReactNode } from 'react';
import { ListGroup } from 'react-bootstrap';
import { KeyOf } from '../commands/KeyOf';
import type { BenchProps } from '../shell/bench';
import { PieceMark } from '../shell/PieceMark';
import { shorter } from './choices';
import type { SortMap } from './useSort';

/** What a dragged sound is called while it is on its way to a piece. */
export const DRAGGED_SOUND = 'application/x-sound';

interface Props {
  map: SortMap;
  pieces: BenchProps['pieces'];
  group: number | null;
  source: string;
  onGroup: (index: number) => void;
  children?: ReactNode;
}

/** The sounds of a source, with how many strokes each has and how many of those are in doubt. */
export function SoundsList({ map, pieces, group, source, onGroup, children }: Props) {
  const pieceCount = new Set(map.parts.map((part) => part.piece)).size;
  return (
    <aside className="parts sounds" aria-label="Sounds">
      <div className="column-head">
        <span title={source}>Sounds in it</span>
        <span>strokes · look</span>
      </div>
      <ListGroup variant="flush">
        {map.groups.map((one, index) => {
          const part = map.parts[one.part]!;
          const piece = pieces.get(part.piece);
          return (
            <ListGroup.Item
              key={`${part.part_id} ${one.articulation} ${one.ghost}`}
              action
              active={index === group}
              className={part.muted ? 'muted' : one.name.length > 11 ? 'crowded' : ''}
              onClick={() => onGroup(index)}
              draggable
              onDragStart={(event) => event.dataTransfer.setData(DRAGGED_SOUND, String(index))}
            >
              {piece && <PieceMark piece={piece} />}
              <span className="part-name" title={one.name}>
                {shorter(one.name)}
              </span>
              <span className="number">{one.hits}</span>
              <span className={`look-number number ${one.doubtful ? '' : 'none'}`}>{one.doubtful || ''}</span>
            </ListGroup.Item>
          );
        })}
      </ListGroup>
      <p className="quiet sounds-said">
        {map.groups.length} {map.groups.length === 1 ? 'sound' : 'sounds'}, {pieceCount}{' '}
        {pieceCount === 1 ? 'piece' : 'pieces'}.
      </p>
      <p className="quiet sounds-keys">
        <KeyOf of="up" /> <KeyOf of="down" /> sounds
        <br />
        <KeyOf of="previous" /> <KeyOf of="next" /> strokes
      </p>
      {children}
    </aside>
  );
}
