import { useState } from 'react';
import { Form } from 'react-bootstrap';
import type { Piece, Schema } from '../api/client';
import type { Doing } from '../api/session';

interface Props {
  doing: Doing;
  part: Schema['PartOverview'];
  pieces: Map<string, Piece>;
  onClose: () => void;
}

/** Which pieces to look for in a microphone that hears several; those that are likely there are ticked. */
export function LookFor({ doing, part, pieces, onClose }: Props) {
  // What a hand changed; the rest goes on following what is likely, which changes while files come in.
  const [changed, setChanged] = useState<ReadonlySet<string>>(new Set());
  const every = [...pieces.values()].filter((one) => one.noted && one.family !== 'whole');
  const wanted = new Set(
    every.map((one) => one.id).filter((id) => part.look_for.includes(id) !== changed.has(id)),
  );
  // What is likely stands first, what would have to be named stands behind it.
  const order = [
    ...every.filter((one) => part.look_for.includes(one.id)),
    ...every.filter((one) => !part.look_for.includes(one.id)),
  ];
  const toggle = (id: string) =>
    setChanged((now) => {
      const next = new Set(now);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  const look = () => {
    if (!wanted.size) return;
    const named = order.filter((one) => wanted.has(one.id)).map((one) => one.id);
    onClose();
    void doing.act({ kind: 'ask_pieces', part_id: part.part_id, pieces: named });
  };
  return (
    <form
      className="look-for"
      data-testid="look-for"
      aria-label={`Drums to find in ${part.name}`}
      onSubmit={(event) => {
        event.preventDefault();
        look();
      }}
      onKeyDown={(event) => event.key === 'Escape' && onClose()}
    >
      <p className="about">
        Split {part.name} into these drums. Ticked: the drums of a kit that have no microphone of their own.
      </p>
      <div className="look-for-pieces">
        {order.map((one, at) => (
          <Form.Check
            key={one.id}
            id={`look-for-${one.id}`}
            label={one.name}
            checked={wanted.has(one.id)}
            autoFocus={at === 0}
            onChange={() => toggle(one.id)}
          />
        ))}
      </div>
      <p className="source-acts">
        <button type="submit" className="look-act" disabled={!wanted.size}>
          Split into drums
        </button>{' '}
        <button type="button" className="plain-act light" onClick={onClose}>
          Cancel
        </button>
      </p>
    </form>
  );
}
