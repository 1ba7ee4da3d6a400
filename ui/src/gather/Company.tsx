import { ActMenu } from '../shell/ActMenu';
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
    <ActMenu
      says="Hears the same piece as …"
      testId="company"
      choices={others.map(([id]) => ({ id, says: name(id) }))}
      onChoose={(id) => void doing.act({ kind: 'combine_microphones', part_id: id, other_id: partId })}
    />
  );
}
