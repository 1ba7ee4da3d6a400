import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { client, take, type Schema } from '../api/client';
import { fetched } from '../api/jobs';
import { limitOf } from '../api/limit';
import type { Doing } from '../api/session';
import { CutControls } from '../cut/CutControls';
import { UnderWay } from '../shell/UnderWay';
import { useJob } from '../shell/useJob';
import { stripOf } from './strip';

type Source = NonNullable<Schema['Document']['sources']>[string];
const TEMPO = limitOf('SlicesChoice', 'to_bpm');

/** A source cut into slices: where they lie, and all of them as samples on rising notes with MIDI that replays it. */
export function SlicesPrint({
  doing,
  revision,
  sourceId,
  source,
}: {
  doing: Doing;
  revision: number;
  sourceId: string;
  source: Source;
}) {
  const { job, run, cancel } = useJob();
  const [bpm, setBpm] = useState('');
  const params = { path: { session_id: doing.id, source_id: sourceId } };
  const asked = useQuery({
    queryKey: ['slices', doing.id, sourceId, revision],
    queryFn: () => take(client.GET('/api/sessions/{session_id}/sources/{source_id}/slices', { params })),
    retry: false,
    placeholderData: (before) => before,
  });
  const cut = source.cut;
  const change = (changes: Record<string, string | boolean>) =>
    void doing.act({ kind: 'set_cut', source_id: sourceId, changes });
  const body = { source_id: sourceId, to_bpm: bpm ? Number(bpm) : null };
  const print = () =>
    run(
      () =>
        take(
          client.POST('/api/sessions/{session_id}/slices/jobs', {
            params: { path: { session_id: doing.id } },
            body,
          }),
        ),
      (done) => fetched(done.job_id),
    );
  const lines = asked.error ? [] : (asked.data?.lines ?? []);
  const strip = stripOf(lines);
  return (
    <section className="slices" aria-labelledby="slices-head">
      <h2 id="slices-head">Cut into slices</h2>
      <div className="slices-acts">
        <span>
          <strong>{source.name}</strong> cut at its
        </span>
        <CutControls cut={cut} onChange={change} />
      </div>
      {asked.error ? (
        <p className="about" role="alert">
          {asked.error.message}
        </p>
      ) : (
        <ol className="slice-strip" aria-label={`${lines.length} slices`} data-testid="slices">
          {strip.map((one) => (
            <li key={one.startS} style={{ left: one.left, width: one.width }} title={one.said}>
              <span className="visually-hidden">{one.said}</span>
              {one.roomy && <span aria-hidden>{one.number}</span>}
            </li>
          ))}
        </ol>
      )}
      <div className="slices-acts">
        {job ? (
          <UnderWay job={job} said="writing slices" onCancel={cancel} />
        ) : (
          <button type="button" className="look-act" disabled={!lines.length} onClick={() => void print()}>
            {lines.length} {lines.length === 1 ? 'slice' : 'slices'} as a zip
          </button>
        )}
        <label className="to-bpm">
          and all of it at
          <Form.Control
            size="sm"
            type="number"
            min={TEMPO.least}
            max={TEMPO.most}
            aria-label="Another tempo in bpm"
            placeholder="–"
            value={bpm}
            onChange={(event) => setBpm(event.target.value)}
          />
          bpm
        </label>
        <span className="quiet">Samples on rising notes, SFZ, and MIDI that replays it as it was.</span>
      </div>
    </section>
  );
}
