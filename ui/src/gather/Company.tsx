import { Form } from 'react-bootstrap';
import type { Part } from '../api/client';
import { newId } from '../api/session';
import { orderedParts, type BenchProps } from '../shell/bench';

interface Props extends BenchProps {
  partId: string;
  part: Part;
  sourceId: string;
}

/** Which other microphones hear the same piece: together they are one part. */
export function Company({ doing, document, overview, pieces, partId, part, sourceId }: Props) {
  const name = (id: string) =>
    overview?.parts.find((one) => one.part_id === id)?.name ?? pieces.get('else')?.name ?? '';
  const others = orderedParts(document).filter(([id, one]) => id !== partId && one.piece !== 'heard');
  if (part.sources.length > 1) {
    return (
      <p className="company">
        One part with{' '}
        {part.sources.length - 1 === 1
          ? 'another microphone'
          : `${part.sources.length - 1} other microphones`}
        : found once, on all of them.{' '}
        <button
          type="button"
          className="plain-act light"
          onClick={() =>
            void doing.act({ kind: 'apart', part_id: partId, source_id: sourceId, new_part_id: newId() })
          }
        >
          Make it a part of its own
        </button>
      </p>
    );
  }
  if (!others.length) return null;
  return (
    <Form.Select
      size="sm"
      className="company"
      aria-label="Another microphone on the same piece"
      value=""
      onChange={(event) =>
        event.target.value &&
        void doing.act({ kind: 'combine_microphones', part_id: event.target.value, other_id: partId })
      }
    >
      <option value="">Hears the same piece as …</option>
      {others.map(([id]) => (
        <option key={id} value={id}>
          {name(id)}
        </option>
      ))}
    </Form.Select>
  );
}
