import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { client, take, type Document } from '../api/client';
import type { Doing } from '../api/session';
import { useWindow } from '../state/window';

const GENERAL = 'General MIDI';

/** Note maps that are kept for every session: take one, keep this one under a name, forget one. */
export function MapShelf({ doing, document }: { doing: Doing; document: Document }) {
  const queries = useQueryClient();
  const kept = useQuery({ queryKey: ['note-maps'], queryFn: () => take(client.GET('/api/note-maps')) });
  const now = document.note_map ?? { name: GENERAL, notes: {} };
  const [named, setNamed] = useState('');
  const known = kept.data?.some((map) => map.name === now.name) ?? false;
  const changed = async (work: Promise<unknown>) => {
    try {
      await work;
      await queries.invalidateQueries({ queryKey: ['note-maps'] });
    } catch (error) {
      useWindow.getState().notify(error instanceof Error ? error.message : String(error));
    }
  };
  const keep = async () => {
    const note_map = { name: named.trim() || now.name || 'Own map', notes: now.notes ?? {} };
    if (note_map.name !== now.name) await doing.act({ kind: 'set_note_map', note_map });
    await changed(take(client.PUT('/api/note-maps', { body: note_map })));
    setNamed('');
  };
  return (
    <>
      <Form.Select
        size="sm"
        aria-label="Take another note map"
        value={known || now.name === GENERAL ? now.name : ''}
        onChange={(event) => {
          const chosen = kept.data?.find((map) => map.name === event.target.value);
          void doing.act({ kind: 'set_note_map', note_map: chosen ?? { name: GENERAL, notes: {} } });
        }}
      >
        {!known && now.name !== GENERAL && <option value="">{now.name}, not kept yet</option>}
        <option value={GENERAL}>{GENERAL}</option>
        {kept.data?.map((map) => (
          <option key={map.name} value={map.name}>
            {map.name}
          </option>
        ))}
      </Form.Select>
      <div className="feel-keep">
        <Form.Control
          size="sm"
          placeholder="name this map"
          aria-label="Name of the note map"
          value={named}
          maxLength={80}
          onChange={(event) => setNamed(event.target.value)}
          onKeyDown={(event) => event.key === 'Enter' && void keep()}
        />
        <span>
          <button type="button" className="plain-act light" onClick={() => void keep()}>
            keep it
          </button>{' '}
          {known && (
            <button
              type="button"
              className="plain-act light"
              onClick={() =>
                void changed(
                  take(client.DELETE('/api/note-maps/{name}', { params: { path: { name: now.name! } } })),
                )
              }
            >
              forget
            </button>
          )}
        </span>
      </div>
    </>
  );
}
