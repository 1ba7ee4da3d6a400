import { useQuery } from '@tanstack/react-query';
import { client, take } from '../api/client';
import { newId, type Doing } from '../api/session';
import { setNotes } from './NoteTable';
import type { Columns } from './useShape';
import type { Way } from './ways';

/** The notes of a session, line by line. */
export const useNoteTable = (doing: Doing, revision: number) =>
  useQuery({
    queryKey: ['note-map', doing.id, revision],
    queryFn: () =>
      take(client.GET('/api/sessions/{session_id}/note-map', { params: { path: { session_id: doing.id } } })),
    placeholderData: (old) => old,
  });
export type NoteTableQuery = ReturnType<typeof useNoteTable>;

/** Say how notes of a part were struck: recorded ones by a mark, written ones by their number. */
export async function strike(
  doing: Doing,
  partId: string,
  columns: Columns,
  indices: number[],
  way: Way,
): Promise<void> {
  const marks: Record<string, number> = {};
  const written: number[] = [];
  for (const i of indices) {
    const foundS = columns.found_s[i];
    if (foundS === null || foundS === undefined) written.push(i);
    else marks[newId()] = foundS;
  }
  if (Object.keys(marks).length)
    await doing.act({ kind: 'set_way', part_id: partId, marks, articulation: way.id });
  if (written.length)
    await setNotes(doing, partId, columns, written, () => ({
      note: way.note === columns.number ? null : way.note,
    }));
}
