import { limitOf } from '../api/limit';
import type { Document, Part } from '../api/client';
import type { Doing } from '../api/session';
import { orderedParts } from '../shell/bench';
import { AmountRow } from './AmountRow';

const USUAL_DB = -6;

/** Of which pieces a microphone over the kit or in the room has less. */
export function LessOf({
  doing,
  document,
  partId,
  part,
  names,
  noted,
}: {
  doing: Doing;
  document: Document;
  partId: string;
  part: Part;
  names: Map<string, string>;
  noted: (piece: string) => boolean;
}) {
  const others = orderedParts(document).filter(
    ([id, one]) => id !== partId && noted(one.piece) && !one.muted,
  );
  return (
    <section className="goes-to" aria-label={`Of which pieces ${names.get(partId)} has less`}>
      <div className="column-head spaced">
        <span>It has less of</span>
      </div>
      {others.map(([id]) => (
        <AmountRow
          key={id}
          id={`less-${id}`}
          name={names.get(id) ?? ''}
          label={`How much less of ${names.get(id)}`}
          db={part.less_of?.[id] ?? null}
          limit={limitOf('SetLess', 'less_db')}
          off="as recorded"
          usual={USUAL_DB}
          onDone={(db) =>
            void doing.act({ kind: 'set_less', part_id: partId, of_part_id: id, less_db: db ?? 0 })
          }
        />
      ))}
      <p className="about">
        Told by the strokes that were found: when each piece sounds, and how it does here.
      </p>
    </section>
  );
}
