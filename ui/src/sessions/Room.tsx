import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Button } from 'react-bootstrap';
import { client, take } from '../api/client';
import { useWindow } from '../state/window';
import { roomSaid } from './room';

const WORTH_FREEING = 1_000_000; // less is not worth a word

/** How much room everything takes, and a key that frees what nothing needs any more. */
export function Room() {
  const queries = useQueryClient();
  const { notify } = useWindow.getState();
  const [freeing, setFreeing] = useState(false);
  const held = useQuery({
    queryKey: ['holds'],
    queryFn: () => take(client.GET('/api/holds')),
    refetchOnMount: 'always',
  });
  const free = async () => {
    setFreeing(true);
    try {
      const freed = await take(client.POST('/api/holds/free'));
      queries.setQueryData(['holds'], freed.holds);
      notify(
        `${roomSaid(freed.bytes_freed)} freed. No session, no kit and nothing to undo was touched.`,
        true,
      );
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    } finally {
      setFreeing(false);
    }
  };
  if (!held.data) return null;
  const { database, working_copies, prints, unwanted } = held.data;
  const said = [`${roomSaid(database)} recordings and sessions`];
  if (working_copies) said.push(`${roomSaid(working_copies)} working copies`);
  if (prints) said.push(`${roomSaid(prints)} prints`);
  return (
    <section className="room" aria-label="Room on the disk">
      <p>
        <strong className="number">{roomSaid(database + working_copies + prints)}</strong> on the disk:{' '}
        {said.join(', ')}.
      </p>
      {unwanted >= WORTH_FREEING && (
        <Button variant="link" disabled={freeing} onClick={() => void free()}>
          {freeing ? 'Freeing …' : `Free ${roomSaid(unwanted)} that nothing needs`}
        </Button>
      )}
    </section>
  );
}
