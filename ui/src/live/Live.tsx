import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState, type ReactNode } from 'react';
import { Button, Form } from 'react-bootstrap';
import { client, take, type Schema } from '../api/client';
import { limitOf } from '../api/limit';
import { KeyOf } from '../commands/KeyOf';
import { useCommands } from '../commands/useCommands';
import { Setting } from '../find/Setting';
import { DeviceField } from '../record/DeviceField';
import { microphones, type Device } from '../record/microphone';
import { notedParts, type BenchProps } from '../shell/bench';
import { PieceMark } from '../shell/PieceMark';
import { MODULE_ID, ports, portProblem } from '../sound/live';
import { clock } from '../stage/axes';
import { counted } from '../shell/counted';
import { useWindow } from '../state/window';
import { inOrder, withInput, type Inputs } from './inputs';
import { LiveField, type LiveRow } from './LiveField';
import { useLive, type LiveChoice } from './useLive';
import './live.scss';

const FIND_PORTS = 'find';
const MOST_INPUTS = 8;

/** Live: drums trigger while they are played, from a microphone or from the simulated stage. */
export function Live(props: BenchProps & { head: ReactNode }) {
  const { doing, document, revision, pieces, head } = props;
  const notify = useWindow((state) => state.notify);
  const queries = useQueryClient();
  const parts = useMemo(
    () => notedParts(document, pieces).filter(([, part]) => part.sources.length && !part.sorted_from),
    [document, pieces],
  );
  const [origin, setOrigin] = useState<LiveChoice['origin']>('stage');
  const [left, setLeft] = useState<string[]>([]);
  const [byHand, setInputs] = useState<Inputs | null>(null);
  const [deviceId, setDevice] = useState<string | null>(null);
  const [devices, setDevices] = useState<Device[]>([]);
  const [lookAheadMs, setLookAhead] = useState(limitOf('LiveAsked', 'look_ahead_ms').usual ?? 5);
  const [to, setTo] = useState('layers');
  const [found, setFound] = useState<{ id: string; name: string }[]>([]);
  const [takeId, setTakeId] = useState<string | null>(null);
  const chosen = parts.map(([id]) => id).filter((id) => !left.includes(id));
  // Of a microphone the part in view is listened to, until inputs are chosen by hand.
  const first = parts.find(([id]) => id === props.partId)?.[0] ?? parts[0]?.[0];
  const inputs = byHand ?? (first ? { [first]: 1 } : {});
  const partIds = origin === 'stage' ? chosen : inOrder(inputs).partIds;
  const nameOf = (id: string) => props.overview?.parts.find((line) => line.part_id === id)?.name ?? id;
  const choice = { origin, partIds, deviceId, inputs, lookAheadMs, to };
  const work = useLive(doing.id, document, revision, choice, nameOf);
  const takes = useQuery({
    queryKey: ['live', doing.id, 'takes'],
    queryFn: () =>
      take(client.GET('/api/sessions/{session_id}/live', { params: { path: { session_id: doing.id } } })),
  });
  work.whenEnded((id) => {
    setTakeId(id);
    void queries.invalidateQueries({ queryKey: ['live', doing.id, 'takes'] });
  });
  const { going } = work;
  const toggle = () => (going ? work.stop() : partIds[0] && void work.begin(false));
  const learn = () => !going && partIds[0] && void work.begin(true);
  useCommands({ listen: toggle, learnKit: () => void learn() });
  const said = new Map((work.said.parts ?? []).map((one) => [one.part_id, one]));
  const askedFor = (one: Schema['LivePartSaid'] | undefined) =>
    work.learning && one?.asked_from_s != null && one.asked_to_s != null
      ? work.heardS >= one.asked_from_s && work.heardS < one.asked_to_s
      : false;
  const rows: LiveRow[] = partIds.flatMap((id) => {
    const part = document.parts?.[id];
    const piece = part && pieces.get(part.piece);
    if (!part || !piece) return [];
    const one = said.get(id);
    return [
      {
        partId: id,
        name: nameOf(id),
        piece,
        lineDb: one?.line_db ?? part.find?.threshold_db ?? -40,
        asked: askedFor(one),
      },
    ];
  });
  const now = rows.find((row) => row.asked);
  const { latency, against } = work.said;
  const chooseOutput = async (wanted: string) => {
    if (wanted !== FIND_PORTS) return setTo(wanted);
    try {
      const list = await ports();
      setFound(list);
      if (!list.length)
        notify('There is no MIDI port on this machine. Plug a device in and look again.', true);
    } catch (error) {
      notify(portProblem(error));
    }
  };
  return (
    <>
      <section className="large gather live" aria-label="Live">
        <div className="gather-head">{head}</div>
        <div className={`record-head ${going ? 'going' : ''}`}>
          <Button className="record-act" onClick={toggle} disabled={!partIds[0]} aria-pressed={going}>
            <KeyOf of="listen" />{' '}
            {going
              ? 'Stop and keep it'
              : origin === 'stage'
                ? 'Play it on the stage'
                : 'Listen to the microphone'}
          </Button>
          {!going && (
            <Button variant="link" className="plain-act" onClick={learn} disabled={!partIds[0]}>
              <KeyOf of="learnKit" /> Learn the kit in ten seconds
            </Button>
          )}
          <span className="quiet" role="status">
            {work.learning
              ? now
                ? `Play ${now.name.toLowerCase()} now: softly, then hard`
                : 'Get ready: each drum is asked for'
              : going
                ? `${work.heardS.toFixed(1)} s heard`
                : 'Notes sound the moment a stroke is sure.'}
          </span>
        </div>
        <LiveField rows={rows} now={work.now} />
        <div className="live-figures">
          <div>
            <span className="quiet">From stroke to note</span>
            <strong>{latency ? `${latency.median_ms.toFixed(1)} ms` : '–'}</strong>
            <span className="quiet">
              {latency ? `95 % within ${latency.most_ms.toFixed(1)} ms` : 'measured while it plays'}
            </span>
          </div>
          {(latency?.parts ?? []).map((one) => (
            <div key={one.name}>
              <span className="quiet">{one.name}</span>
              <b>{one.median_ms.toFixed(1)} ms</b>
              <span className="quiet">{one.most_ms.toFixed(1)} at 95 %</span>
            </div>
          ))}
          {against && (
            <div className="against">
              <span className="quiet">Against Find</span>
              <strong>{against.same} the same</strong>
              <span className="quiet">
                {against.false} false, {against.missed} missed
              </span>
            </div>
          )}
        </div>
      </section>
      <aside className="settings" aria-label="Settings">
        <div className="column-head">
          <span>What is listened to</span>
        </div>
        <div className="live-origin" role="radiogroup" aria-label="Where it comes from">
          {(
            [
              [
                'stage',
                'The simulated stage',
                'plays what was recorded, from the line on, as if through cables',
              ],
              ['microphone', 'A microphone', 'of this machine, or an interface with several inputs'],
            ] as const
          ).map(([id, name, about]) => (
            <button
              type="button"
              key={id}
              role="radio"
              aria-checked={origin === id}
              disabled={going}
              className={origin === id ? 'chosen' : ''}
              onClick={() => {
                setOrigin(id);
                if (id === 'microphone') void microphones().then(setDevices);
              }}
            >
              <strong>{name}</strong>
              <span className="quiet">{about}</span>
            </button>
          ))}
        </div>
        {origin === 'microphone' && (
          <DeviceField
            id="live-microphone"
            devices={devices}
            deviceId={deviceId}
            disabled={going}
            onChange={setDevice}
          />
        )}
        <div className={origin === 'stage' ? 'live-parts' : 'live-inputs'} role="group" aria-label="Parts">
          {parts.map(([id, part]) => {
            const piece = pieces.get(part.piece)!;
            const name = nameOf(id);
            return origin === 'stage' ? (
              <Form.Check
                key={id}
                id={`live-${id}`}
                type="switch"
                label={name}
                disabled={going}
                checked={!left.includes(id)}
                onChange={(event) =>
                  setLeft(event.target.checked ? left.filter((one) => one !== id) : [...left, id])
                }
              />
            ) : (
              <div className="live-input" key={id}>
                <PieceMark piece={piece} />
                <Form.Label htmlFor={`live-${id}`}>{name}</Form.Label>
                <Form.Select
                  id={`live-${id}`}
                  size="sm"
                  value={inputs[id] ?? ''}
                  disabled={going}
                  onChange={(event) => setInputs(withInput(inputs, id, Number(event.target.value) || null))}
                >
                  <option value="">not listened to</option>
                  {Array.from({ length: MOST_INPUTS }, (_, k) => (
                    <option key={k} value={k + 1}>
                      input {k + 1}
                    </option>
                  ))}
                </Form.Select>
              </div>
            );
          })}
          {!parts.length && <p className="about">Record or drop something first: a part is what listens.</p>}
        </div>
        <Setting
          name="Look-ahead"
          value={lookAheadMs}
          limit={limitOf('LiveAsked', 'look_ahead_ms')}
          about="how long a stroke is listened to before it is decided: less is sooner, more is surer"
          onDone={setLookAhead}
        />
        <Form.Label htmlFor="live-to">Notes go to</Form.Label>
        <Form.Select
          id="live-to"
          size="sm"
          value={to}
          disabled={going}
          onChange={(event) => void chooseOutput(event.target.value)}
        >
          <option value="layers">the layers</option>
          <option value={MODULE_ID}>Nubrak sound module</option>
          <option value="">nowhere</option>
          {found.map((port) => (
            <option key={port.id} value={port.id}>
              {port.name}
            </option>
          ))}
          <option value={FIND_PORTS}>look for MIDI ports …</option>
        </Form.Select>
        <div className="column-head">
          <span>Played live</span>
        </div>
        {(takes.data ?? []).map((one) => (
          <LiveTake key={one.id} {...props} line={one} open={one.id === takeId} onOpen={setTakeId} />
        ))}
        {!takes.data?.length && <p className="about">What is played is kept here when it stops.</p>}
      </aside>
    </>
  );
}

/** One stretch of live playing, and where it differs from what Find says. */
function LiveTake({
  doing,
  overview,
  revision,
  line,
  open,
  onOpen,
}: BenchProps & { line: Schema['LiveTakeLine']; open: boolean; onOpen: (id: string | null) => void }) {
  const set = useWindow((state) => state.set);
  const path = { session_id: doing.id, take_id: line.id };
  const queries = useQueryClient();
  const differences = useQuery({
    queryKey: ['live', doing.id, line.id, revision, overview?.parts.map((one) => one.progress).join()],
    queryFn: () =>
      take(client.GET('/api/sessions/{session_id}/live/{take_id}/differences', { params: { path } })),
    enabled: open,
    retry: false,
  });
  const nameOf = (id: string) => overview?.parts.find((one) => one.part_id === id)?.name ?? id;
  const forget = async () => {
    await take(client.DELETE('/api/sessions/{session_id}/live/{take_id}', { params: { path } }));
    void queries.invalidateQueries({ queryKey: ['live', doing.id, 'takes'] });
  };
  return (
    <div className="live-take">
      <button
        type="button"
        className="plain-act"
        aria-expanded={open}
        onClick={() => onOpen(open ? null : line.id)}
      >
        {clock(line.start_s)}, {line.length_s.toFixed(1)} s, {line.strokes} strokes
      </button>
      <span className="quiet">
        {line.origin === 'stage' ? 'stage' : 'microphone'}, {line.look_ahead_ms.toFixed(1)} ms look-ahead
        {line.latency ? `, ${line.latency.median_ms.toFixed(1)} ms from stroke to note` : ''}
      </span>
      {open && (
        <>
          <p className="source-acts">
            <a className="plain-act" href={`/api/sessions/${doing.id}/live/${line.id}/midi`} download>
              Take it as MIDI
            </a>
            <button type="button" className="plain-act" onClick={() => void forget()}>
              Forget it
            </button>
          </p>
          <p className="about">
            {differences.error
              ? differences.error.message
              : differences.data
                ? differences.data.length
                  ? `${counted(differences.data.length, 'difference')} from what Find says:`
                  : 'Find says the same of it.'
                : 'being looked at …'}
          </p>
          <ol className="differences">
            {(differences.data ?? []).slice(0, 200).map((one, k) => (
              <li key={k}>
                <button
                  type="button"
                  className="plain-act light"
                  onClick={() => set({ partId: one.part_id, playheadS: one.time_s, selectedS: one.time_s })}
                >
                  {clock(one.time_s)} {nameOf(one.part_id)}:{' '}
                  {one.what === 'only live'
                    ? `only live (${one.live_velocity})`
                    : `missed live (${one.offline_velocity})`}
                </button>
              </li>
            ))}
          </ol>
        </>
      )}
    </div>
  );
}
