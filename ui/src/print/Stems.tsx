import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { useQuery } from '@tanstack/react-query';
import { client, take, type Schema } from '../api/client';
import { fetched, followed, stopped, type JobState } from '../api/jobs';
import type { Doing } from '../api/session';
import { KeyOf } from '../commands/KeyOf';
import { useCommands } from '../commands/useCommands';
import { useWindow } from '../state/window';
import { Progress } from '../shell/Progress';

type Choice = Schema['StemChoice'];
type Kind =
  | 'recordings'
  | 'microphones'
  | 'cleaned'
  | 'layers'
  | 'each_layer'
  | 'blends'
  | 'stages'
  | 'buses'
  | 'sums'
  | 'midi';

const KINDS: [Kind, string][] = [
  ['recordings', 'every recording'],
  ['microphones', 'microphones of one drum apart'],
  ['cleaned', 'sources, and cleaned beside them'],
  ['layers', 'every part’s layers'],
  ['each_layer', 'every layer apart'],
  ['blends', 'every part blended'],
  ['stages', 'parts through their stages'],
  ['buses', 'every bus and room'],
  ['sums', 'sums'],
  ['midi', 'MIDI'],
];
const USUAL: Record<Kind, boolean> = {
  recordings: false,
  microphones: false,
  cleaned: false,
  layers: true,
  each_layer: false,
  blends: false,
  stages: true,
  buses: false,
  sums: true,
  midi: true,
};
const KEPT = 'nubrak-stems';

function remembered(): Record<Kind, boolean> {
  try {
    return {
      ...USUAL,
      ...(JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Partial<Record<Kind, boolean>>),
    };
  } catch {
    return USUAL;
  }
}

/** Everything at once: a checklist that is remembered, what it would say, and one zip. */
interface Props {
  doing: Doing;
  /** How loud everything is printed, in dB. */
  masterDb: number;
  revision: number;
  settings: Choice['settings'];
  lengthS: number;
}

export function Stems({ doing, masterDb, revision, settings, lengthS }: Props) {
  const notify = useWindow((state) => state.notify);
  const [chosen, setChosen] = useState(remembered);
  const [job, setJob] = useState<JobState | null>(null);
  const [sure, setSure] = useState(false);
  const choice = { settings, ...chosen };
  const set = (kind: Kind, on: boolean) => {
    const next = { ...chosen, [kind]: on };
    setChosen(next);
    setSure(false);
    localStorage.setItem(KEPT, JSON.stringify(next));
  };
  const tell = (error: unknown) => notify(error instanceof Error ? error.message : String(error));
  // What the prints would say is asked for while the choice is looked at, so that it is known before they are
  // written.
  const params = { path: { session_id: doing.id } };
  const { data: found, isFetching } = useQuery({
    queryKey: ['report', doing.id, revision, choice],
    queryFn: () => take(client.POST('/api/sessions/{session_id}/print/report', { params, body: choice })),
    enabled: lengthS > 0,
    retry: false,
  });
  const report = found?.lines ?? null;
  const print = async () => {
    if (over.length && !sure) return setSure(true);
    setSure(false);
    try {
      const begun = await take(
        client.POST('/api/sessions/{session_id}/print/jobs', { params, body: choice }),
      );
      fetched((await followed(begun, setJob)).job_id);
    } catch (error) {
      tell(error);
    } finally {
      setJob(null);
    }
  };
  const cancel = () => job && stopped(job.job_id).catch(tell);
  const over = report?.filter((line) => line.over > 0 && settings?.depth !== 'float') ?? [];
  const downDb = Math.max(0, ...over.map((line) => line.down_db));
  const fitMaster = () => {
    if (downDb > 0) void doing.act({ kind: 'set_master', master_db: rounded(masterDb - downDb) });
  };
  useCommands({ fitMaster });
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
          <Progress now={job.share * 100} aria-label="Printing" />
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
            {sure ? 'Print them all the same' : 'Print them'}
          </button>
          {isFetching && <span className="quiet">listening through…</span>}
        </p>
      )}
      {over.length > 0 && (
        <p className="about warn" role="status" data-testid="clips">
          {over.map((line) => line.name).join(', ')}: over full scale and would be cut off; as float nothing
          is.{' '}
          <button type="button" className="plain-act" onClick={fitMaster}>
            <KeyOf of="fitMaster" /> Turn the master down by {downDb.toFixed(1)} dB
          </button>
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
                  {line.loudness_lkfs <= -120
                    ? 'silent'
                    : `${line.loudness_lkfs.toFixed(1).replace('-', '−')} LUFS`}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

const rounded = (db: number) => Math.round(db * 10) / 10;
