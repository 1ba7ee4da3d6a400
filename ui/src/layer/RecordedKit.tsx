import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { client, take, type Schema } from '../api/client';
import { UnderWay } from '../shell/UnderWay';
import { useJob } from '../shell/useJob';

type Made = Schema['RecordedKit'];

/** The recording's own drums as a kit: each piece's clearest strokes, made by a worker, kept in the library. */
export function RecordedKit({
  sessionId,
  said,
  onMade,
}: {
  sessionId: string;
  said: Made | null;
  onMade: (kit: Made) => void;
}) {
  const { job, run, cancel } = useJob();
  const [every, setEvery] = useState(false);
  const params = { path: { session_id: sessionId } };
  const body = { of: 'layers' as const, microphones: every ? ('all' as const) : ('close' as const) };
  const make = () =>
    run(
      () => take(client.POST('/api/sessions/{session_id}/kit/jobs', { params, body })),
      (done) => done.kit && onMade(done.kit),
    );
  return (
    <section className="recorded-kit" aria-labelledby="recorded-kit">
      <h2 id="recorded-kit">A kit of this recording</h2>
      <p className="about">
        Each piece’s clearest strokes, by strength and in turns: those with least of other drums under them,
        cut where they have rung out.
      </p>
      <div className="recorded-kit-acts">
        {job ? (
          <UnderWay job={job} said="choosing strokes" onCancel={cancel} />
        ) : (
          <>
            <button type="button" className="look-act" onClick={() => void make()}>
              Make a kit of it
            </button>
            <Form.Check
              type="switch"
              id="every-microphone"
              label="overheads and rooms as well"
              checked={every}
              onChange={(event) => setEvery(event.target.checked)}
            />
          </>
        )}
      </div>
      {said && (
        <ul className="taken" data-testid="taken">
          {said.pieces.map((piece) => (
            <li key={piece.part_id}>
              <details>
                <summary>
                  <strong>{piece.name}</strong> <span className="quiet">{piece.said}</span>
                </summary>
                <ol>
                  {piece.strokes.map((stroke) => (
                    <li key={stroke.time_s}>
                      <span className="number">
                        {stroke.time_s.toFixed(3)} s, velocity {stroke.velocity}:
                      </span>{' '}
                      {stroke.reason}
                    </li>
                  ))}
                </ol>
              </details>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
