import { useQuery } from '@tanstack/react-query';
import { client, take, type Schema } from '../api/client';
import type { Doing } from '../api/session';
import { KeyOf } from '../commands/KeyOf';
import { clock } from '../stage/axes';

const NEAR_S = 0.008;

/** The mend that stands on a stroke, where there is one. */
export const mendAt = (
  mends: Schema['Part']['mends'],
  foundS: number | null,
): [string, Schema['Mend']] | null =>
  foundS === null
    ? null
    : (Object.entries(mends ?? {}).find(([, one]) => Math.abs(one.found_s - foundS) < NEAR_S) ?? null);

/** What the chosen stroke can be mended with: other strokes of its drum, taken in all microphones at once. */
export function Mending({
  doing,
  revision,
  partId,
  mends,
  foundS,
  onMend,
  onHear,
  onBack,
}: {
  doing: Doing;
  revision: number;
  partId: string;
  mends: Schema['Part']['mends'];
  /** The chosen stroke, by where it was found. */
  foundS: number | null;
  onMend: (fromS: number | null) => void;
  onHear: (timeS: number) => void;
  onBack: () => void;
}) {
  const asked = useQuery({
    queryKey: ['donors', doing.id, partId, foundS, revision],
    queryFn: () =>
      take(
        client.GET('/api/sessions/{session_id}/parts/{part_id}/donors', {
          params: { path: { session_id: doing.id, part_id: partId }, query: { found_s: foundS! } },
        }),
      ),
    enabled: foundS !== null,
    retry: false,
  });
  const known = mendAt(mends, foundS);
  if (foundS === null)
    return (
      <p className="about">
        Choose a stroke that is weak, spoilt or mis-hit. Another stroke of the same drum takes its place, in
        all microphones at once; nothing of the recording is lost.
      </p>
    );
  if (asked.error)
    return (
      <p className="about" role="alert">
        {asked.error.message}
      </p>
    );
  if (!asked.data) return <p className="about">Looking for a stroke like it …</p>;
  const { velocity, wanted, donors, time_s } = asked.data;
  return (
    <>
      <p className="about">
        The stroke at <strong>{clock(time_s, 3)}</strong> has velocity {velocity}
        {wanted === velocity ? '.' : `; usual is ${wanted}.`}{' '}
        {known ? `It sounds as the one at ${clock(known[1].from_s, 3)}.` : 'It sounds as it was recorded.'}
      </p>
      <ul className="donors" data-testid="donors">
        {donors.map((one) => (
          <li key={one.time_s} className={one.taken ? 'taken-now' : ''}>
            <button
              type="button"
              className="plain-act number"
              aria-label={`Mend with ${clock(one.time_s, 3)}`}
              aria-pressed={one.taken}
              onClick={() => onMend(one.time_s)}
            >
              {clock(one.time_s, 3)}
            </button>
            <span className="about">{one.reason}</span>
            <button
              type="button"
              className="plain-act light"
              aria-label={`Hear ${clock(one.time_s, 3)}`}
              onClick={() => onHear(one.time_s)}
            >
              hear
            </button>
          </li>
        ))}
      </ul>
      {!donors.length && <p className="about">No other stroke of this drum could take its place.</p>}
      <div className="acts donor-acts">
        <button type="button" className="look-act" disabled={!donors.length} onClick={() => onMend(null)}>
          <KeyOf of="mend" /> {known ? 'The next best' : 'Mend with the best'}
        </button>
        {known && (
          <button type="button" className="plain-act" onClick={onBack}>
            <KeyOf of="unmend" /> as recorded
          </button>
        )}
      </div>
    </>
  );
}
