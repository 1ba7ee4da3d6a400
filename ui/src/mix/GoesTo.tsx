import { limitOf } from '../api/limit';
import { newId, type Doing } from '../api/session';
import type { Document } from '../api/client';
import { AmountRow } from './AmountRow';
import { BUS_KINDS, newBus, orderedBuses } from './target';

const USUAL_DB = { group: 0, parallel: -6, room: -12 } as const;

/** Which buses a part goes to, and with how much; and a new one. */
export function GoesTo({
  doing,
  document,
  partId,
  name,
  onBus,
}: {
  doing: Doing;
  document: Document;
  partId: string;
  name: string;
  onBus: (busId: string) => void;
}) {
  const buses = orderedBuses(document);
  const add = async (kind: (typeof BUS_KINDS)[number][0]) => {
    const busId = newId();
    await doing.act({ kind: 'add_bus', bus_id: busId, bus: newBus(document, kind, [partId]) as never });
    onBus(busId);
  };
  return (
    <section className="goes-to" aria-label={`Where ${name} goes`}>
      <div className="column-head spaced">
        <span>{name} goes to</span>
      </div>
      {buses.map(([id, bus]) => (
        <div key={id} className="with-look">
          <AmountRow
            id={`send-${id}`}
            name={bus.name}
            label={`${name} to ${bus.name}`}
            db={bus.parts?.[partId] ?? null}
            limit={limitOf('SendTo', 'amount_db')}
            usual={USUAL_DB[bus.kind ?? 'group']}
            onDone={(db) => void doing.act({ kind: 'send_to', bus_id: id, part_id: partId, amount_db: db })}
          />
          <button
            type="button"
            className="plain-act light"
            aria-label={`Set ${bus.name}`}
            onClick={() => onBus(id)}
          >
            set
          </button>
        </div>
      ))}
      <ul className="starts">
        {BUS_KINDS.map(([kind, word, about]) => (
          <li key={kind}>
            <button type="button" className="plain-act" onClick={() => void add(kind)}>
              {word.replace('A ', 'a new ')}
            </button>
            <span className="about">{about}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
