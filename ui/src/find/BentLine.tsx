import { LineByKeys } from '../stage/LineByKeys';
import type { CurvePoint } from '../stage/curve';
import { useWindow } from '../state/window';

interface Props {
  curve: CurvePoint[];
  onCurve: (points: CurvePoint[], done: boolean) => void;
}

const VALUES = { least: -60, most: 60, rest: 0 };

/** The points that bend the threshold's line, by keys. */
export function BentLine({ curve, onCurve }: Props) {
  const set = useWindow((state) => state.set);
  return (
    <LineByKeys
      points={curve.map(({ time_s, offset_db }) => ({ time_s, value: offset_db }))}
      values={VALUES}
      step={0.5}
      far={3}
      said={(db) => `${db >= 0 ? '+' : '−'}${Math.abs(db).toFixed(1)} dB against the threshold`}
      empty="The line is straight. A point at the play line bends it."
      onPoints={(points) =>
        onCurve(
          points.map(({ time_s, value }) => ({ time_s, offset_db: value })),
          true,
        )
      }
      onDone={() => set({ drawing: false })}
    />
  );
}
