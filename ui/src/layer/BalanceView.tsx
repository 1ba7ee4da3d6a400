import { limitOf, type Limit } from '../api/limit';
import { useSettled } from '../find/useSettled';
import { orderedParts, type BenchProps } from '../shell/bench';
import { PieceMark } from '../shell/PieceMark';
import { useWindow } from '../state/window';
import { useMeters, type Level } from './useMeters';

type Side = 'recording' | 'layers';
const LOWEST_DB = -60;

/** Every part's recording and layers side by side: level, place, mute, solo, and what the meters read. */
export function BalanceView({
  doing,
  document,
  revision,
  overview,
  pieces,
  partId,
  lengthS,
  onClose,
}: BenchProps & { onClose: () => void }) {
  const set = useWindow((state) => state.set);
  const reading = useMeters(doing.id, revision, document.rate_hz ?? 44100, lengthS);
  const parts = orderedParts(document);
  const soloed = parts.some(([, part]) => part.blend?.recording_solo || part.blend?.layers_solo);
  return (
    <div className="balance" data-testid="balance">
      <table>
        <thead>
          <tr>
            <th>Part</th>
            <th colSpan={4}>Recording</th>
            <th colSpan={4}>Layers</th>
          </tr>
        </thead>
        <tbody>
          {parts.map(([id, part]) => {
            const piece = pieces.get(part.piece);
            const name = overview?.parts.find((one) => one.part_id === id)?.name ?? piece?.name ?? '';
            return (
              <tr key={id} className={id === partId ? 'chosen' : ''} onClick={() => set({ partId: id })}>
                <th scope="row">
                  {piece && <PieceMark piece={piece} />} {name}
                </th>
                {(['recording', 'layers'] as Side[]).map((side) => (
                  <Strip
                    key={side}
                    side={side}
                    name={name}
                    blend={part.blend ?? {}}
                    there={
                      side === 'recording'
                        ? part.sources.length > 0
                        : Object.keys(part.layers ?? {}).length > 0
                    }
                    soloed={soloed}
                    level={reading?.parts.get(id)?.[side] ?? null}
                    change={(changes) => void doing.act({ kind: 'set_blend', part_id: id, changes })}
                  />
                ))}
              </tr>
            );
          })}
        </tbody>
      </table>
      <div className="whole-meter">
        <strong>Everything</strong>
        <Meter level={reading?.whole ?? null} name="Everything" wide />
        <span className="number" data-testid="whole-reading">
          {reading
            ? `peak ${said(reading.whole.peakDb)} dBFS · ${said(reading.whole.loudness)} LUFS momentary`
            : 'Meters read while it plays.'}
        </span>
      </div>
      <p className="about">
        Solo is for listening: prints have everything that is not muted.{' '}
        <button type="button" className="plain-act" onClick={onClose}>
          back to the notes
        </button>
      </p>
    </div>
  );
}

function Strip({
  side,
  name,
  blend,
  there,
  soloed,
  level,
  change,
}: {
  side: Side;
  name: string;
  blend: NonNullable<NonNullable<BenchProps['part']>['blend']>;
  there: boolean;
  soloed: boolean;
  level: Level | null;
  change: (changes: Record<string, number | boolean>) => void;
}) {
  if (!there)
    return (
      <td colSpan={4} className="quiet">
        {side === 'layers' ? 'no layer' : 'no recording'}
      </td>
    );
  const on = blend[`${side}_on`] ?? true;
  const solo = blend[`${side}_solo`] ?? false;
  const what = `${name}, ${side}`;
  return (
    <>
      <td className="switches">
        <button
          type="button"
          aria-pressed={!on}
          aria-label={`Mute ${what}`}
          title="mute"
          onClick={() => change({ [`${side}_on`]: !on })}
        >
          M
        </button>
        <button
          type="button"
          aria-pressed={solo}
          aria-label={`Solo ${what}`}
          title="solo"
          onClick={() => change({ [`${side}_solo`]: !solo })}
        >
          S
        </button>
      </td>
      <td>
        <Slide
          label={`Level of ${what}`}
          value={blend[`${side}_db`] ?? 0}
          limit={limitOf('Blend', `${side}_db`)}
          show={(value) => `${value.toFixed(1).replace('-', '−')} dB`}
          onDone={(value) => change({ [`${side}_db`]: value })}
        />
      </td>
      <td className="pan">
        <Slide
          label={`Place of ${what}`}
          value={blend[`${side}_pan`] ?? 0}
          limit={limitOf('Blend', `${side}_pan`)}
          show={(value) =>
            value === 0 ? 'middle' : `${Math.abs(Math.round(value * 100))} ${value < 0 ? 'left' : 'right'}`
          }
          onDone={(value) => change({ [`${side}_pan`]: Math.abs(value) < 0.04 ? 0 : value })}
        />
      </td>
      <td className={`meter-cell ${on && (!soloed || solo) ? '' : 'silent'}`}>
        <Meter level={level} name={what} />
      </td>
    </>
  );
}

function Slide({
  label,
  value,
  limit,
  show,
  onDone,
}: {
  label: string;
  value: number;
  limit: Limit;
  show: (value: number) => string;
  onDone: (value: number) => void;
}) {
  const [moved, setMoved] = useSettled(onDone, 250);
  return (
    <label className="slide">
      <input
        type="range"
        className="form-range"
        aria-label={label}
        min={limit.low}
        max={limit.high}
        step={limit.step}
        value={moved ?? value}
        onChange={(event) => setMoved(Number(event.target.value))}
        onDoubleClick={() => setMoved(limit.usual ?? 0)}
      />
      <span className="number">{show(moved ?? value)}</span>
    </label>
  );
}

/** A bar from −60 dB to full scale: peak as a line, momentary loudness as the filled part. */
function Meter({ level, name, wide }: { level: Level | null; name: string; wide?: boolean }) {
  const place = (db: number) => `${Math.min(Math.max((db - LOWEST_DB) / -LOWEST_DB, 0), 1) * 100}%`;
  return (
    <div
      className={`meter ${wide ? 'wide' : ''} ${level && level.peakDb > 0 ? 'over' : ''}`}
      role="meter"
      aria-label={`Level, ${name}`}
      aria-valuemin={LOWEST_DB}
      aria-valuemax={0}
      aria-valuenow={level ? Math.round(level.peakDb) : LOWEST_DB}
    >
      {level && (
        <>
          <span className="fill" style={{ width: place(level.loudness) }} />
          <span className="peak" style={{ left: place(level.peakDb) }} />
        </>
      )}
    </div>
  );
}

const said = (db: number): string => (db <= -119 ? '−∞' : db.toFixed(1).replace('-', '−'));
