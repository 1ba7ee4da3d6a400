import { useState } from 'react';
import { KeyOf } from '../commands/KeyOf';
import { useCommands } from '../commands/useCommands';
import { clock } from '../stage/axes';
import type { CurvePoint } from '../stage/curve';
import { useWindow } from '../state/window';
import { pointAdded, pointMoved, pointTaken } from './bent';

interface Props {
  curve: CurvePoint[];
  onCurve: (points: CurvePoint[], done: boolean) => void;
}

const STEP_DB = 0.5;
const FAR_DB = 3;

/** The points that bend the threshold's line, by keys: one is chosen, moved up and down, added, taken away. */
export function BentLine({ curve, onCurve }: Props) {
  const [chosen, setChosen] = useState(0);
  const set = useWindow((state) => state.set);
  const at = Math.min(chosen, Math.max(curve.length - 1, 0));
  const point = curve[at];
  const choose = (index: number) => {
    const to = Math.min(Math.max(index, 0), curve.length - 1);
    setChosen(to);
    if (curve[to]) set({ playheadS: curve[to].time_s });
  };
  const put = ({ points, at: to }: { points: CurvePoint[]; at: number }) => {
    setChosen(to);
    onCurve(points, true);
  };
  const move = (byDb: number) => point && put(pointMoved(curve, at, byDb));
  const add = () => put(pointAdded(curve, useWindow.getState().playheadS));
  const take = () => point && put(pointTaken(curve, at));
  useCommands({
    previous: () => choose(at - 1),
    next: () => choose(at + 1),
    up: () => move(STEP_DB),
    down: () => move(-STEP_DB),
    upFar: () => move(FAR_DB),
    downFar: () => move(-FAR_DB),
    add,
    drop: take,
  });
  return (
    <div className="bent-line" data-testid="bent-line">
      <p role="status">
        {point
          ? `Point ${at + 1} of ${curve.length} at ${clock(point.time_s)}: ` +
            `${point.offset_db >= 0 ? '+' : '−'}${Math.abs(point.offset_db).toFixed(1)} dB against the threshold`
          : 'The line is straight. A point at the play line bends it.'}
      </p>
      <div className="acts">
        <button type="button" className="plain-act" onClick={add}>
          <KeyOf of="add" /> Add one at the play line
        </button>
        <button
          type="button"
          className="plain-act"
          onClick={() => choose(at - 1)}
          aria-label="Previous point"
        >
          <KeyOf of="previous" />
        </button>
        <button type="button" className="plain-act" onClick={() => choose(at + 1)}>
          <KeyOf of="next" /> Point to point
        </button>
        <button type="button" className="plain-act" onClick={() => move(-STEP_DB)} aria-label="Point down">
          <KeyOf of="down" />
        </button>
        <button type="button" className="plain-act" onClick={() => move(STEP_DB)}>
          <KeyOf of="up" /> Up and down
        </button>
        <button type="button" className="plain-act" onClick={take} disabled={!point}>
          <KeyOf of="drop" /> Take it away
        </button>
        <button type="button" className="plain-act" onClick={() => set({ drawing: false })}>
          <KeyOf of="draw" /> Done
        </button>
      </div>
    </div>
  );
}
