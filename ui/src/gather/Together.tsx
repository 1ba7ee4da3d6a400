import { client } from '../api/client';
import type { BenchProps } from '../shell/bench';

/** Recordings that may be two sides of a pair, or two microphones of one drum: asked, never done unasked. */
export function Together({ doing, overview }: BenchProps) {
  const pairs = overview?.pairs ?? [];
  const drums = overview?.drums ?? [];
  if (!pairs.length && !drums.length) return null;
  return (
    <div role="status" data-testid="together">
      {pairs.map((one) => (
        <p className="about unheard" key={`${one.first_id} ${one.second_id}`}>
          {one.says}{' '}
          <button
            type="button"
            className="plain-act light"
            onClick={() =>
              void doing.revised((revision) =>
                client.POST('/api/sessions/{session_id}/pair', {
                  params: { path: { session_id: doing.id } },
                  body: { revision, left_id: one.first_id, right_id: one.second_id },
                }),
              )
            }
          >
            Make them a stereo pair
          </button>
        </p>
      ))}
      {drums.map((one) => (
        <p className="about unheard" key={`${one.first_id} ${one.second_id}`}>
          {one.says}{' '}
          <button
            type="button"
            className="plain-act light"
            onClick={() =>
              void doing.act({
                kind: 'combine_microphones',
                part_id: one.first_id,
                other_id: one.second_id,
              })
            }
          >
            Combine them
          </button>
        </p>
      ))}
    </div>
  );
}
