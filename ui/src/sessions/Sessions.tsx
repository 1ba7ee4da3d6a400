import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useRef, useState } from 'react';
import { Button } from 'react-bootstrap';
import { Link, useNavigate } from 'react-router';
import { client, take, upload } from '../api/client';
import { followed, type JobState } from '../api/jobs';
import { Doing } from '../api/session';
import { useDrop } from '../gather/useDrop';
import { FileInput } from '../shell/FileInput';
import { Notices } from '../shell/Notices';
import { useNight } from '../shell/useNight';
import { useWindow } from '../state/window';
import { clock } from '../stage/axes';
import { Room } from './Room';
import './sessions.scss';
import { Progress } from '../shell/Progress';

/** All sessions, and a new one: by a click, or by dropping recordings on the page. */
export function Sessions() {
  useNight();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const night = useWindow((state) => state.night);
  const { set, notify } = useWindow.getState();
  const [sure, setSure] = useState<string | null>(null);
  const [share, setShare] = useState<number | null>(null);
  const archive = useRef<HTMLInputElement | null>(null);
  const sessions = useQuery({
    queryKey: ['sessions'],
    queryFn: () => take(client.GET('/api/sessions')),
    refetchOnMount: 'always',
  });
  const begin = useCallback(
    async (files: File[]) => {
      const archive = files.find((file) => /\.zip$/i.test(file.name));
      try {
        if (archive) {
          setShare(0);
          // Half of the way it comes in, the other half it is looked through and kept.
          const begun = await upload<JobState>('/api/archives', archive, (share) => setShare(share / 2));
          const opened = await followed(begun, (now) => setShare((1 + now.share) / 2));
          void navigate(`/session/${opened.opened!.session_id}/find`);
          return;
        }
        const state = await take(client.POST('/api/sessions', { body: {} as never }));
        queries.setQueryData(['session', state.id], state);
        void navigate(`/session/${state.id}/gather`);
        if (files.length) await new Doing(queries, state.id).addFiles(files);
      } catch (error) {
        notify(error instanceof Error ? error.message : String(error));
      } finally {
        setShare(null);
      }
    },
    [navigate, queries, notify],
  );
  const over = useDrop(useCallback((files: File[]) => void begin(files), [begin]));
  const remove = async (id: string) => {
    setSure(null);
    await take(client.DELETE('/api/sessions/{session_id}', { params: { path: { session_id: id } } })).catch(
      (error: Error) => notify(error.message),
    );
    await queries.invalidateQueries({ queryKey: ['sessions'] });
    await queries.invalidateQueries({ queryKey: ['holds'] });
  };
  return (
    <div className={`home ${over ? 'over' : ''}`}>
      <header>
        <h1 className="wordmark">nubrak</h1>
        <p>Recorded drums become MIDI you can trust, and samples that lock to the recording.</p>
        <Button variant="link" onClick={() => set({ night: !night })}>
          {night ? 'Day' : 'Night'}
        </Button>
      </header>
      <main>
        <div className="home-head">
          <h2>Sessions</h2>
          {share !== null && <Progress now={share * 100} aria-label="Archive coming in" />}
          <Button variant="link" className="push" onClick={() => archive.current?.click()}>
            Open an archive
          </Button>
          <Button variant="ink" onClick={() => void begin([])}>
            New session
          </Button>
          <FileInput
            innerRef={archive}
            testId="archive-file"
            accept=".zip,application/zip"
            onFile={(file) => void begin([file])}
          />
        </div>
        {sessions.error && <p role="alert">{sessions.error.message}</p>}
        <ul className="session-list">
          {sessions.data?.map((line) => (
            <li key={line.id}>
              <Link to={`/session/${line.id}/${line.sources ? 'find' : 'gather'}`}>
                <strong>{line.name}</strong>
                <span className="quiet">{line.about}</span>
              </Link>
              <span className="number">
                {line.sources} {line.sources === 1 ? 'source' : 'sources'}
              </span>
              <span className="number">{clock(line.length_s, 1)}</span>
              <span className="quiet">
                {new Date(line.touched).toLocaleString(undefined, {
                  dateStyle: 'medium',
                  timeStyle: 'short',
                })}
              </span>
              {sure === line.id ? (
                <span className="sure">
                  <Button variant="link" onClick={() => void remove(line.id)}>
                    Delete for good
                  </Button>
                  <Button variant="link" onClick={() => setSure(null)}>
                    Keep
                  </Button>
                </span>
              ) : (
                <Button variant="link" onClick={() => setSure(line.id)} aria-label={`Delete ${line.name}`}>
                  Delete
                </Button>
              )}
            </li>
          ))}
        </ul>
        {sessions.data?.length === 0 && <p className="quiet">No session yet.</p>}
        <div className={`drop-place tall ${over ? 'over' : ''}`}>
          <p>
            <strong>
              {over
                ? 'Let go, and a new session begins.'
                : 'Drop drum recordings anywhere to begin a new session'}
            </strong>
          </p>
          <p className="quiet">
            One file per microphone, a loop, claps or mouth percussion. WAV, AIFF, FLAC, OGG or MP3. Or a
            session archive.
          </p>
        </div>
        <Room />
      </main>
      <Notices />
    </div>
  );
}
