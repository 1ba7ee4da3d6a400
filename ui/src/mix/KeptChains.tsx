import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { client, take } from '../api/client';
import { useWindow } from '../state/window';
import type { Stage } from './chain';

/** Chains that are kept by name, for every session: used, kept, forgotten. */
export function KeptChains({ chain, onUse }: { chain: Stage[]; onUse: (chain: Stage[]) => void }) {
  const notify = useWindow((state) => state.notify);
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const { data } = useQuery({ queryKey: ['chains'], queryFn: () => take(client.GET('/api/chains')) });
  const tell = (error: unknown) => notify(error instanceof Error ? error.message : String(error));
  const keep = async () => {
    if (!name.trim() || !chain.length) return;
    try {
      const body = { name: name.trim(), chain: chain as never };
      queries.setQueryData(['chains'], await take(client.PUT('/api/chains', { body })));
      notify(`“${name.trim()}” is kept for every session.`, true);
      setName('');
    } catch (error) {
      tell(error);
    }
  };
  const forget = async (gone: string) => {
    try {
      const path = { name: gone };
      queries.setQueryData(['chains'], await take(client.DELETE('/api/chains/{name}', { params: { path } })));
    } catch (error) {
      tell(error);
    }
  };
  if (!chain.length && !data?.length) return null;
  return (
    <section className="goes-to" aria-label="Chains that are kept">
      <div className="column-head spaced">
        <span>Kept for every session</span>
      </div>
      {data?.map((one) => (
        <div key={one.name} className="with-look">
          <button type="button" className="plain-act" onClick={() => onUse(one.chain as Stage[])}>
            {one.name}
          </button>
          <button
            type="button"
            className="plain-act light"
            aria-label={`Forget ${one.name}`}
            onClick={() => void forget(one.name)}
          >
            forget
          </button>
        </div>
      ))}
      {chain.length > 0 && (
        <form
          className="with-look"
          onSubmit={(event) => {
            event.preventDefault();
            void keep();
          }}
        >
          <Form.Control
            size="sm"
            placeholder="a name for these stages"
            aria-label="Name under which these stages are kept"
            maxLength={80}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <button type="submit" className="plain-act" disabled={!name.trim()}>
            keep
          </button>
        </form>
      )}
    </section>
  );
}
