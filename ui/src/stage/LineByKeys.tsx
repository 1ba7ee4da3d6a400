import { useState } from 'react';
import { KeyOf } from '../commands/KeyOf';
import { useCommands } from '../commands/useCommands';
import { usePressed } from '../commands/usePressed';
import { useWindow } from '../state/window';
import { clock } from './axes';
import {
  pointAdded,
  pointMoved,
  pointTaken,
  type LinePlace,
  type LineValues,
  type Touched,
} from './linePoints';

interface Props {
  points: LinePlace[];
  values: LineValues;
  step: number;
  far: number;
  /** A value in words, and the line where it has no point. */
  said: (value: number) => string;
  empty: string;
  onPoints: (points: LinePlace[]) => void;
  onDone: () => void;
  /** Where a drawn line has to be taken before it works: that it can be, and doing it. */
  take?: { says: string; ready: boolean; act: () => void };
}

/** The points of a line by keys: one is chosen, moved up and down, added at the play line, taken away. */
export function LineByKeys({ points, values, step, far, said, empty, onPoints, onDone, take }: Props) {
  const [chosen, setChosen] = useState(0);
  const set = useWindow((state) => state.set);
  const at = Math.min(chosen, Math.max(points.length - 1, 0));
  const point = points[at];
  const pressed = usePressed<Touched>();
  const now = (): Touched => pressed.of('line') ?? { points, at };
  const choose = (by: number) => {
    const { points: line, at: from } = now();
    const to = Math.min(Math.max(from + by, 0), line.length - 1);
    if (pressed.of('line')) pressed.put('line', { points: line, at: to });
    setChosen(to);
    if (line[to]) set({ playheadS: line[to].time_s });
  };
  const put = (touched: Touched) => {
    pressed.put('line', touched);
    setChosen(touched.at);
    onPoints(touched.points);
  };
  const move = (by: number) => {
    const { points: line, at: which } = now();
    if (line[which]) put(pointMoved(line, which, by, values));
  };
  const add = () => put(pointAdded(now().points, useWindow.getState().playheadS, values));
  const takeAway = () => {
    const { points: line, at: which } = now();
    if (line[which]) put(pointTaken(line, which));
  };
  useCommands({
    previous: () => choose(-1),
    next: () => choose(1),
    up: () => move(step),
    down: () => move(-step),
    upFar: () => move(far),
    downFar: () => move(-far),
    add,
    drop: takeAway,
    ...(take ? { take: () => take.ready && take.act() } : {}),
  });
  return (
    <div className="line-by-keys" data-testid="line-by-keys">
      <p role="status">
        {point
          ? `Point ${at + 1} of ${points.length} at ${clock(point.time_s)}: ${said(point.value)}`
          : empty}
      </p>
      <div className="acts">
        <button type="button" className="plain-act" onClick={add}>
          <KeyOf of="add" /> Add one at the play line
        </button>
        <span className="pair">
          <button type="button" className="plain-act" onClick={() => choose(-1)} aria-label="Previous point">
            <KeyOf of="previous" />
          </button>
          <button type="button" className="plain-act" onClick={() => choose(1)}>
            <KeyOf of="next" /> Point to point
          </button>
        </span>
        <span className="pair">
          <button type="button" className="plain-act" onClick={() => move(-step)} aria-label="Point down">
            <KeyOf of="down" />
          </button>
          <button type="button" className="plain-act" onClick={() => move(step)}>
            <KeyOf of="up" /> Up and down
          </button>
        </span>
        <button type="button" className="plain-act" onClick={takeAway} disabled={!point}>
          <KeyOf of="drop" /> Take it away
        </button>
        {take && (
          <button type="button" className="plain-act" onClick={take.act} disabled={!take.ready}>
            <KeyOf of="take" /> {take.says}
          </button>
        )}
        <button type="button" className="plain-act" onClick={onDone}>
          <KeyOf of="draw" /> {take ? 'Leave it' : 'Done'}
        </button>
      </div>
    </div>
  );
}
