import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Form } from 'react-bootstrap';
import { client, take } from '../api/client';
import { live, MODULE_ID, openModule, openPort, portProblem, ports } from '../sound/live';
import { useWindow } from '../state/window';

const FIND_PORTS = 'find';

/**
 * Send the notes live, while the transport runs: to a MIDI port of this machine, or to the sound module that
 * ships with Nubrak.
 */
export function LiveOut({ id, revision }: { id: string; revision: number }) {
  const sendingTo = useWindow((state) => state.sendingTo);
  const set = useWindow((state) => state.set);
  const notify = useWindow((state) => state.notify);
  const [found, setFound] = useState<{ id: string; name: string }[]>([]);
  useLiveNotes(id, revision);
  const choose = async (wanted: string) => {
    try {
      if (wanted === FIND_PORTS) {
        const list = await ports();
        setFound(list);
        if (!list.length)
          notify('There is no MIDI port on this machine. Plug a device in and look again.', true);
        return;
      }
      const output = !wanted
        ? null
        : wanted === MODULE_ID
          ? await openModule((text) => lost(text))
          : await openPort(wanted);
      live.use(output);
      set({ sendingTo: wanted || null });
    } catch (error) {
      const own =
        error instanceof Error && !(error instanceof DOMException) && 'requestMIDIAccess' in navigator;
      notify(own ? error.message : portProblem(error));
    }
  };
  const lost = (text: string) => {
    live.use(null);
    set({ sendingTo: null });
    notify(text);
  };
  return (
    <div className="live-out">
      <Form.Label htmlFor="live-out">Send live to</Form.Label>
      <Form.Select
        id="live-out"
        size="sm"
        value={sendingTo ?? ''}
        onChange={(event) => void choose(event.target.value)}
      >
        <option value="">nothing</option>
        <option value={MODULE_ID}>Nubrak sound module</option>
        {found.map((port) => (
          <option key={port.id} value={port.id}>
            {port.name}
          </option>
        ))}
        <option value={FIND_PORTS}>look for MIDI ports …</option>
      </Form.Select>
    </div>
  );
}

/** Keep the sender's notes those of the session as it stands. */
function useLiveNotes(id: string, revision: number): void {
  const sendingTo = useWindow((state) => state.sendingTo);
  const alone = useWindow((state) => state.alone);
  const partId = useWindow((state) => state.partId);
  const before = useWindow((state) => state.before);
  const part = alone ? partId : null;
  const notes = useQuery({
    queryKey: ['live', id, revision, part, before],
    queryFn: () =>
      take(
        client.GET('/api/sessions/{session_id}/notes', {
          params: { path: { session_id: id }, query: { ...(part ? { part } : {}), before } },
        }),
      ),
    enabled: sendingTo !== null,
  });
  useEffect(() => live.load(notes.data ?? null), [notes.data]);
}
