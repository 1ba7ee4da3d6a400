import { Form } from 'react-bootstrap';
import { orderedParts, type BenchProps } from '../shell/bench';

interface Props extends BenchProps {
  partId: string;
}

/** Which other part hears the same piece: together they are one. */
export function Company({ doing, document, overview, pieces, partId }: Props) {
  const name = (id: string) =>
    overview?.parts.find((one) => one.part_id === id)?.name ?? pieces.get('else')?.name ?? '';
  const others = orderedParts(document).filter(([id, one]) => id !== partId && one.piece !== 'heard');
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
