import { useQuery } from '@tanstack/react-query';
import { client, take, type Piece } from '../api/client';
import type { Doing } from '../api/session';
import { clock } from '../stage/axes';
import './cut.scss';
import { PieceMark } from '../shell/PieceMark';

/** The strokes of each piece that stand most by themselves, and why; a click goes there. */
export function Clearest({
  doing,
  revision,
  pieces,
  sourceId,
  partIds,
  most = 3,
  onGo,
}: {
  doing: Doing;
  revision: number;
  pieces: Map<string, Piece>;
  /** The source they are struck in, and of these parts only. */
  sourceId: string;
  partIds: readonly string[];
  most?: number;
  onGo: (timeS: number, partId: string) => void;
}) {
  const asked = useQuery({
    queryKey: ['clearest', doing.id, sourceId, revision],
    queryFn: () =>
      take(
        client.GET('/api/sessions/{session_id}/clearest', {
          params: { path: { session_id: doing.id }, query: { most: 3, source: sourceId } },
        }),
      ),
    retry: false,
    placeholderData: (old) => old,
  });
  const parts = (asked.data?.parts ?? []).filter(
    (one) => partIds.includes(one.part_id) && one.strokes.length,
  );
  if (!parts.length) return <p className="about">No piece is told apart here yet.</p>;
  return (
    <ul className="clearest" data-testid="clearest">
      {parts.map((one) => {
        const piece = pieces.get(one.piece);
        return (
          <li key={one.part_id}>
            {one.strokes.slice(0, most).map((stroke, index) => (
              <button
                key={stroke.time_s}
                type="button"
                className={index ? 'clear-stroke lesser' : 'clear-stroke'}
                aria-label={`To ${one.name.toLowerCase()} at ${clock(stroke.time_s, 2)}: ${stroke.reason}`}
                onClick={() => onGo(stroke.time_s, one.part_id)}
              >
                {piece && !index ? <PieceMark piece={piece} /> : <span />}
                <span>
                  <strong>
                    {index ? clock(stroke.time_s, 2) : `${one.name} at ${clock(stroke.time_s, 2)}`}
                  </strong>{' '}
                  <span className="about">{stroke.reason}</span>
                </span>
              </button>
            ))}
          </li>
        );
      })}
    </ul>
  );
}
