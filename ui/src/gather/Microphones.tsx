import { useQuery } from '@tanstack/react-query';
import { Form } from 'react-bootstrap';
import { client, take, type Part, type Schema } from '../api/client';
import { limitOf } from '../api/limit';
import { newId } from '../api/session';
import { Setting } from '../find/Setting';
import type { BenchProps } from '../shell/bench';

interface Props extends Pick<BenchProps, 'doing' | 'document' | 'overview' | 'revision'> {
  partId: string;
  part: Part;
  sourceId: string;
}

type Beside = Schema['Beside'];

/** The microphones of one drum: how the chosen one is heard, how it fits the others, which of them is listened to. */
export function Microphones({ doing, document, overview, revision, partId, part, sourceId }: Props) {
  const about = overview?.parts.find((one) => one.part_id === partId);
  const found = useQuery({
    queryKey: ['microphones', doing.id, partId, revision, about?.progress],
    queryFn: () =>
      take(
        client.GET('/api/sessions/{session_id}/parts/{part_id}/microphones', {
          params: { path: { session_id: doing.id, part_id: partId } },
        }),
      ),
    retry: false,
    placeholderData: (old, query) => (query?.queryKey[2] === partId ? old : undefined),
  });
  const microphone = document.sources?.[sourceId]?.microphone;
  const rows = found.data?.microphones ?? [];
  const mine = rows.find((one) => one.source_id === sourceId);
  const first = part.sources[0] === sourceId;
  const better = rows.filter((one): one is Beside & { best: NonNullable<Beside['best']> } =>
    Boolean(one.best),
  );
  const set = (changes: Schema['SetMicrophones']['changes']) =>
    void doing.act({ kind: 'set_microphones', changes });
  const mySet = (one: Schema['SetMicrophones']['changes'][string]) => set({ [sourceId]: one });
  const takeBest = (of: typeof better) =>
    set(
      Object.fromEntries(
        of.map((one) => [one.source_id, { polarity: one.best.polarity!, delay_ms: one.best.delay_ms! }]),
      ),
    );
  const nameOf = (id: string) => document.sources?.[id]?.name ?? '';
  return (
    <section className="microphones" aria-label="Its microphones">
      <div className="column-head">
        <span>
          {part.sources.length} microphones, one {about?.name.toLowerCase() ?? 'part'}
        </span>
      </div>
      <p className="fit" role="status" data-testid="microphone-fit">
        <span>{first ? 'The others are put to this one.' : (mine?.said ?? 'Being compared …')}</span>
        {mine?.best && (
          <button
            type="button"
            className="look-act solo"
            onClick={() => takeBest([mine as (typeof better)[0]])}
          >
            Put it so
          </button>
        )}
      </p>
      {better.length > 0 && (first || better.length > 1) && (
        <p className="fit">
          <span>{better.map((one) => `${one.name}: ${one.said}`).join(' ')}</span>
          <button type="button" className="look-act solo" onClick={() => takeBest(better)}>
            {better.length > 1 ? 'Put them all so' : 'Put it so'}
          </button>
        </p>
      )}
      <Form.Check
        type="switch"
        id="microphone-on"
        label="This one is heard"
        checked={microphone?.on ?? true}
        onChange={(event) => mySet({ on: event.target.checked })}
      />
      <Form.Check
        type="switch"
        id="microphone-polarity"
        label="Turned round (polarity)"
        checked={microphone?.polarity === -1}
        onChange={(event) => mySet({ polarity: event.target.checked ? -1 : 1 })}
      />
      <Setting
        name="Level"
        limit={limitOf('Microphone', 'level_db')}
        value={microphone?.level_db ?? 0}
        about="beside the others"
        onDone={(level_db) => mySet({ level_db })}
      />
      <Setting
        name="Delay"
        limit={limitOf('Microphone', 'delay_ms')}
        value={microphone?.delay_ms ?? 0}
        about="later than recorded; below 0 earlier"
        onDone={(delay_ms) => mySet({ delay_ms })}
      />
      <Form.Group controlId="heard-on">
        <Form.Label>Find its strokes on</Form.Label>
        <Form.Select
          size="sm"
          value={part.heard_on ?? ''}
          onChange={(event) =>
            void doing.act({ kind: 'hear_on', part_id: partId, source_id: event.target.value || null })
          }
        >
          <option value="">all of them together</option>
          {part.sources.map((id) => (
            <option key={id} value={id}>
              {nameOf(id)} alone
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <p className="company">
        <button
          type="button"
          className="plain-act light"
          onClick={() =>
            void doing.act({ kind: 'apart', part_id: partId, source_id: sourceId, new_part_id: newId() })
          }
        >
          Make it a part of its own
        </button>
      </p>
    </section>
  );
}
