import { client } from '../api/client';
import { ActMenu } from '../shell/ActMenu';
import type { BenchProps } from '../shell/bench';

interface Props extends BenchProps {
  partId: string;
  sourceId: string;
}

/** Which other part hears the same piece: together they are one. */
export function Company({ doing, document, overview, pieces, partId, sourceId }: Props) {
  const name = (id: string) =>
    overview?.parts.find((one) => one.part_id === id)?.name ?? pieces.get('else')?.name ?? '';
  const others = overview?.combines?.[partId] ?? [];
  const sides = overview?.sides?.[sourceId] ?? [];
  if (!others.length && !sides.length) return null;
  const sources = document.sources ?? {};
  return (
    <>
      {others.length > 0 && (
        <ActMenu
          says="Hears the same piece as …"
          testId="company"
          choices={others.map((id) => ({ id, says: name(id) }))}
          onChoose={(id) => void doing.act({ kind: 'combine_microphones', part_id: id, other_id: partId })}
        />
      )}
      {sides.length > 0 && (
        <ActMenu
          says="Is the left side of …"
          testId="pair-with"
          choices={sides.map((id) => ({ id, says: sources[id]?.name ?? '' }))}
          onChoose={(right_id) =>
            void doing.revised((revision) =>
              client.POST('/api/sessions/{session_id}/pair', {
                params: { path: { session_id: doing.id } },
                body: { revision, left_id: sourceId, right_id },
              }),
            )
          }
        />
      )}
    </>
  );
}
