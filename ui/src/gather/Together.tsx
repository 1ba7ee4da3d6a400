import { client } from '../api/client';
import type { BenchProps } from '../shell/bench';

/** Recordings that may be two sides of a pair, or two microphones of one drum: asked, never done unasked. */
export function Together({ doing, overview }: BenchProps) {
  const pairs = overview?.pairs ?? [];
  const drums = overview?.drums ?? [];
  if (!pairs.length && !drums.length) return null;
  const asPair = (left_id: string, right_id: string) =>
    doing.revised((revision) =>
      client.POST('/api/sessions/{session_id}/pair', {
        params: { path: { session_id: doing.id } },
        body: { revision, left_id, right_id },
      }),
    );
  const combine = (part_id: string, other_id: string) =>
    doing.act({ kind: 'combine_microphones', part_id, other_id });
  const asked = [
    ...pairs.map((one) => ({ one, act: asPair, does: 'Make them a stereo pair' })),
    ...drums.map((one) => ({ one, act: combine, does: 'Combine them' })),
  ];
  return (
    <div role="status" data-testid="together">
      {asked.map(({ one, act, does }) => (
        <p className="about unheard" key={`${one.first_id} ${one.second_id}`}>
          {one.says}{' '}
          <button
            type="button"
            className="plain-act light"
            onClick={() => void act(one.first_id, one.second_id)}
          >
            {does}
          </button>
        </p>
      ))}
    </div>
  );
}
