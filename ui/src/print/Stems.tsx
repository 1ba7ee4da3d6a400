import { useState } from 'react';
import { Form, ProgressBar } from 'react-bootstrap';
import { client, Refusal, take, type Schema } from '../api/client';
import type { Doing } from '../api/session';
import { useWindow } from '../state/window';

type Choice = Schema['StemChoice'];
type Kind = 'recordings' | 'layers' | 'each_layer' | 'blends' | 'sums' | 'midi';

const KINDS: [Kind, string][] = [
  ['recordings', 'every recording'],
  ['layers', 'every part’s layers'],
  ['each_layer', 'every layer apart'],
  ['blends', 'every part blended'],
  ['sums', 'sums'],
  ['midi', 'MIDI'],
];
const USUAL: Record<Kind, boolean> = {
  recordings: false,
  layers: true,
  each_layer: false,
  blends: false,
  sums: true,
  midi: true,
};
const KEPT = 'nubrak-stems';

function remembered(): Record<Kind, boolean> {
  try {
    return { ...USUAL, ...(JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Partial<Record<Kind, boolean>>) };
  } catch {
    return USUAL;
  }
}

/** Everything at once: a checklist that is remembered, what it would say, and one zip. */
export function Stems({ doing, settings, lengthS }: { doing: Doing; settings: Choice['settings']; lengthS: number }) {
  const notify = useWindow((state) => state.notify);
  const [chosen, setChosen] = useState(remembered);
  const [report, setReport] = useState<Schema['StemLine'][] | null>(null);
  const [job, setJob] = useState<Schema['PrintJob'] | null>(null);
  const choice = { settings, ...chosen };
  const set = (kind: Kind, on: boolean) => {
    const next = { ...chosen, [kind]: on };
    setChosen(next);
    setReport(null);
    localStorage.setItem(KEPT, JSON.stringify(next));
  };
  const tell = (error: unknown) => notify(error instanceof Error ? error.message : String(error));
  const check = async () => {
    try {
      const params = { path: { session_id: doing.id } };
      const found = await take(client.POST('/api/sessions/{session_id}/print/report', { params, body: choice }));
      setReport(found.lines);
    } catch (error) {
      tell(error);
    }
  };
  const path = { session_id: doing.id };
  const print = async () => {
    try {
      let now = await take(client.POST('/api/sessions/{session_id}/print/jobs', { params: { path }, body: choice }));
      for (setJob(now); !now.done && !now.problem; setJob(now)) {
        await new Promise((done) => setTimeout(done, 150));
        now = await take(
          client.GET('/api/sessions/{session_id}/print/jobs/{job_id}', {
            params: { path: { ...path, job_id: now.job_id } },
          }),
        );
      }
      if (now.problem) throw new Refusal(now.problem, 0);
      setReport(now.report?.lines ?? null);
      const link = window.document.createElement('a');
      link.href = `/api/sessions/${doing.id}/print/jobs/${now.job_id}/file`;
      link.download = '';
      link.click();
    } catch (error) {
      tell(error);
    } finally {
      setJob(null);
    }
  };
  const cancel = () =>
    job &&
    take(
      client.DELETE('/api/sessions/{session_id}/print/jobs/{job_id}', {
        params: { path: { ...path, job_id: job.job_id } },
      }),
    ).catch(tell);
  const over = report?.filter((line) => line.over > 0 && settings?.depth !== 'float') ?? [];
  return (
    <div className="stems">
      <div className="column-head spaced">
        <span>All of it in one zip</span>
      </div>
      {KINDS.map(([kind, word]) => (
        <Form.Check
          key={kind}
          type="checkbox"
          id={`stem-${kind}`}
          label={word}
          checked={chosen[kind]}
          onChange={(event) => set(kind, event.target.checked)}
        />
      ))}
      {job ? (
        <>
          <ProgressBar now={job.share * 100} aria-label="Printing" />
          <p className="stem-acts">
            <span className="number">{Math.round(job.share * 100)} %</span>
            <button type="button" className="plain-act light" onClick={() => void cancel()}>
              cancel
            </button>
          </p>
        </>
      ) : (
        <p className="stem-acts">
          <button type="button" className="look-act solo" disabled={!lengthS} onClick={() => void print()}>
            Print them
          </button>
          <button type="button" className="plain-act light" disabled={!lengthS} onClick={() => void check()}>
            what would they say?
          </button>
        </p>
      )}
      {over.length > 0 && (
        <p className="about warn" role="status">
          {over.map((line) => line.name).join(', ')}: over full scale, {over[0]!.peak_db.toFixed(1)} dB at most. Turn it
          down, or print as float.
        </p>
      )}
      {report && (
        <table className="stem-report" data-testid="stem-report">
          <tbody>
            {report.map((line) => (
              <tr key={line.name}>
                <td>{line.name}</td>
                <td className="number">{line.peak_db.toFixed(1).replace('-', '−')} dB</td>
                <td className="number">
                  {line.loudness_lkfs <= -120 ? 'silent' : `${line.loudness_lkfs.toFixed(1).replace('-', '−')} LUFS`}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
