import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { limitOf } from '../api/limit';
import type { Document, Schema } from '../api/client';
import type { Doing } from '../api/session';
import { Setting } from '../find/Setting';
import { orderedParts } from '../shell/bench';
import { useWindow } from '../state/window';
import { AmountRow } from './AmountRow';
import type { PartsBus } from './target';

type Room = Schema['Room'];
const SIZES: NonNullable<Room['size']>[] = ['closet', 'chamber', 'live room', 'hall', 'cathedral'];
const USUAL_MS = { closet: 250, chamber: 450, 'live room': 800, hall: 1600, cathedral: 3600 } as const;
const WALLS: NonNullable<Room['walls']>[] = ['soft', 'plain', 'hard'];
const USUAL_DB = { group: 0, parallel: -6, room: -12 } as const;

/** A bus: its name, its room where it is one, and which parts go there. */
export function BusSettings({
  doing,
  document,
  busId,
  bus,
  names,
  onGone,
}: {
  doing: Doing;
  document: Document;
  busId: string;
  bus: PartsBus;
  names: Map<string, string>;
  onGone: () => void;
}) {
  const alone = useWindow((state) => state.busAlone === busId);
  const set = useWindow((state) => state.set);
  const [name, setName] = useState<string | null>(null);
  const change = (changes: Record<string, unknown>) =>
    void doing.act({ kind: 'set_bus', bus_id: busId, changes: changes as never });
  const keepName = () => {
    if (name !== null && name.trim() && name !== bus.name) change({ name: name.trim() });
    setName(null);
  };
  // What was told from a part goes into a group with it; beside the sum each may go by itself.
  const parts = orderedParts(document).filter(([, one]) => bus.kind !== 'group' || !one.sorted_from);
  return (
    <section className="goes-to" aria-label={`${bus.name}: what goes there`}>
      <div className="column-head spaced">
        <span>
          {bus.kind === 'group' ? 'A group' : bus.kind === 'room' ? 'A room’s return' : 'A parallel'}
        </span>
      </div>
      <Form.Control
        size="sm"
        aria-label="Name of the bus"
        value={name ?? bus.name}
        maxLength={80}
        onChange={(event) => setName(event.target.value)}
        onBlur={keepName}
        onKeyDown={(event) => {
          if (event.key === 'Enter') event.currentTarget.blur();
          if (event.key === 'Escape') setName(null);
        }}
      />
      <p className="stage-acts">
        <Form.Check
          type="switch"
          id="bus-on"
          label="heard"
          checked={bus.on ?? true}
          onChange={(event) => change({ on: event.target.checked })}
        />
        <button
          type="button"
          className="plain-act"
          aria-pressed={alone}
          onClick={() => set({ busAlone: alone ? null : busId })}
        >
          {alone ? 'with everything' : 'hear it alone'}
        </button>
        <button
          type="button"
          className="plain-act"
          onClick={() => {
            set({ busAlone: null });
            onGone();
            void doing.act({ kind: 'remove_bus', bus_id: busId });
          }}
        >
          take it out
        </button>
      </p>
      {bus.kind === 'room' && <RoomSettings room={bus.room ?? {}} onDone={(room) => change({ room })} />}
      <div className="column-head spaced">
        <span>What goes there</span>
      </div>
      {parts.map(([id]) => (
        <AmountRow
          key={id}
          id={`in-${id}`}
          name={names.get(id) ?? ''}
          label={`${names.get(id)} to ${bus.name}`}
          db={bus.parts?.[id] ?? null}
          limit={limitOf('SendTo', 'amount_db')}
          usual={USUAL_DB[bus.kind ?? 'group']}
          onDone={(db) => void doing.act({ kind: 'send_to', bus_id: busId, part_id: id, amount_db: db })}
        />
      ))}
    </section>
  );
}

function RoomSettings({ room, onDone }: { room: Partial<Room>; onDone: (room: Partial<Room>) => void }) {
  const size = room.size ?? 'chamber';
  return (
    <>
      <div className="selects">
        <Form.Select
          size="sm"
          aria-label="Size of the room"
          value={size}
          // Another room has its own decay.
          onChange={(event) => onDone({ ...room, size: event.target.value as Room['size'], decay_ms: null })}
        >
          {SIZES.map((one) => (
            <option key={one} value={one}>
              a {one}
            </option>
          ))}
        </Form.Select>
        <Form.Select
          size="sm"
          aria-label="Its walls"
          value={room.walls ?? 'plain'}
          onChange={(event) => onDone({ ...room, walls: event.target.value as Room['walls'] })}
        >
          {WALLS.map((one) => (
            <option key={one} value={one}>
              {one} walls
            </option>
          ))}
        </Form.Select>
      </div>
      <Setting
        name="Decays in"
        limit={limitOf('Room', 'decay_ms')}
        logarithmic
        value={room.decay_ms ?? USUAL_MS[size]}
        about="until it has fallen by 60 dB"
        following={room.decay_ms === null || room.decay_ms === undefined}
        onDone={(decay_ms) => onDone({ ...room, decay_ms })}
        onFollow={() => onDone({ ...room, decay_ms: null })}
      />
      <Setting
        name="First reflections"
        limit={limitOf('Room', 'early_db')}
        value={room.early_db ?? 0}
        about="against the tail: near walls, or far ones"
        onDone={(early_db) => onDone({ ...room, early_db })}
      />
      <Setting
        name="Answers later by"
        limit={limitOf('Room', 'later_ms')}
        value={room.later_ms ?? 0}
        about="keeps the stroke itself clear"
        onDone={(later_ms) => onDone({ ...room, later_ms })}
      />
    </>
  );
}
