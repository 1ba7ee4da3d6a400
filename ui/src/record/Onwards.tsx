import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { Link } from 'react-router';
import { client, take } from '../api/client';
import { limitOf } from '../api/limit';
import type { BenchProps } from '../shell/bench';
import { knownTempo } from '../stage/axes';
import { useWindow } from '../state/window';

/** What can be made of passes once they are played: the best bar again, the grid part of the way, their sounds. */
export function Onwards({ props, many }: { props: BenchProps; many: boolean }) {
  const { doing, document } = props;
  const notify = useWindow((state) => state.notify);
  const [times, setTimes] = useState('4');
  const limit = limitOf('CopyBars', 'times');
  const count = Math.round(Number(times));
  const path = { session_id: doing.id };
  const repeat = async () => {
    if (!(count >= limit.least && count <= limit.most))
      return notify(`Type how often: from ${limit.least} to ${limit.most} times.`);
    try {
      const best = await take(client.GET('/api/sessions/{session_id}/best-bar', { params: { path } }));
      const there = await doing.revised((revision) =>
        client.POST('/api/sessions/{session_id}/bars/copy', {
          params: { path },
          body: { revision, bar: best.number, to_bar: null, times: count, vary: null, seed: 0 },
        }),
      );
      if (there) notify(`${best.said} It follows ${count} more ${count === 1 ? 'time' : 'times'}.`, true);
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <div className="onwards" role="group" aria-label="What comes next">
      {knownTempo(document) && (
        <span>
          <button type="button" className="plain-act" onClick={() => void repeat()}>
            Repeat the best bar
          </button>{' '}
          <Form.Control
            size="sm"
            inputMode="numeric"
            aria-label="How many times"
            value={times}
            onChange={(event) => setTimes(event.target.value)}
            onKeyDown={(event) => event.key === 'Enter' && void repeat()}
          />{' '}
          times
        </span>
      )}
      {many && (
        <Link className="plain-act" to={`/session/${doing.id}/sort`}>
          Tell the sounds apart
        </Link>
      )}
      <Link className="plain-act" to={`/session/${doing.id}/shape`} state={{ side: 'when' }}>
        To the grid, part of the way, or as the feel of others
      </Link>
    </div>
  );
}
