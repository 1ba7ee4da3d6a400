import { KeyOf } from '../commands/KeyOf';
import { limitOf } from '../api/limit';
import { Form } from 'react-bootstrap';
import type { Decisions, FindSettings, SpillMap } from '../api/client';
import { useSpillMap } from '../api/session';
import { notedParts, type BenchProps } from '../shell/bench';
import { useWindow } from '../state/window';
import { decibels } from '../stage/axes';
import { Setting } from './Setting';

interface Props extends BenchProps {
  find: FindSettings;
  shown: Decisions | null;
  /** The suggestion for the part as it stands. */
  suggestion: Decisions['suggestion'] | undefined;
  move: (changes: Partial<FindSettings>) => void;
  done: (changes: Partial<FindSettings>) => Promise<void>;
}

const MARGIN = limitOf('FindSettings', 'spill_margin_db');

type Following = 'threshold_db' | 'rise_db' | 'hold_off_ms' | 're_arm_db' | 'low_hz' | 'high_hz';

/** The settings of one part: what is asked of a candidate before it counts. */
export function FoundBy(props: Props) {
  const { doing, document, revision, library, part, partId, find, shown, suggestion, move, done } = props;
  const several = notedParts(document, props.pieces).length > 1;
  const spill = useSpillMap(doing.id, revision, several);
  const drawing = useWindow((state) => state.drawing);
  const detector = useWindow((state) => state.detector);
  const set = useWindow((state) => state.set);
  const material = library.materials.find((one) => one.id === find.material);
  const points = find.curve ?? [];
  const weighs = shown?.weighs ?? false;
  const following = (value: unknown) => value === null || value === undefined;
  /**
   * What every setting that may follow a suggestion does when it is moved, let go, and told to follow again.
   */
  const moving = (name: Following) => ({
    following: following(find[name]),
    onMove: (value: number) => move({ [name]: value }),
    onDone: (value: number) => void done({ [name]: value }),
    onFollow: () => void done({ [name]: null }),
  });
  return (
    <>
      <Form.Select
        size="sm"
        aria-label="What kind of recording it is"
        value={find.material ?? ''}
        onChange={(event) =>
          void done({ material: (event.target.value || null) as FindSettings['material'] })
        }
      >
        <option value="">As fits the piece</option>
        {library.materials.map((one) => (
          <option key={one.id} value={one.id}>
            {one.name}
          </option>
        ))}
      </Form.Select>
      {material && <p className="about material">{material.about}</p>}
      <Setting
        name="Threshold"
        value={shown?.threshold_db ?? -40}
        limit={limitOf('FindSettings', 'threshold_db')}
        about={
          suggestion
            ? `suggested ${decibels(suggestion.threshold_db)}` +
              (suggestion.gap_db >= 1 ? `, gap ${suggestion.gap_db.toFixed(0)} dB` : '')
            : ''
        }
        {...moving('threshold_db')}
      />
      <p className="curve-line">
        <button
          type="button"
          className="plain-act light"
          aria-pressed={drawing}
          onClick={() => set({ drawing: !drawing })}
        >
          <KeyOf of="draw" />{' '}
          {drawing ? 'Done bending' : points.length ? `Bent at ${points.length}` : 'Bend the line'}
        </button>
        {points.length > 0 && (
          <button type="button" className="plain-act light" onClick={() => void done({ curve: [] })}>
            straighten
          </button>
        )}
      </p>
      <Setting
        name="Rise"
        value={find.rise_db ?? shown?.rise_needed_db ?? 6}
        limit={limitOf('FindSettings', 'rise_db')}
        about={
          following(find.rise_db) && weighs ? 'weighed with everything else' : 'over what rang just before'
        }
        {...moving('rise_db')}
      />
      <Setting
        name="Hold-off"
        value={find.hold_off_ms ?? shown?.hold_off_ms ?? 30}
        limit={limitOf('FindSettings', 'hold_off_ms')}
        about="shortest time between two hits"
        {...moving('hold_off_ms')}
      />
      <Setting
        name="Re-arm"
        value={find.re_arm_db ?? shown?.re_arm_db ?? 0}
        limit={limitOf('FindSettings', 're_arm_db')}
        about="fall asked for before the next hit"
        {...moving('re_arm_db')}
      />
      <Setting
        name="Low cut"
        value={find.low_hz ?? shown?.low_hz ?? 30}
        limit={limitOf('FindSettings', 'low_hz')}
        logarithmic
        about="on what the detector hears only"
        {...moving('low_hz')}
      />
      <Setting
        name="High cut"
        value={find.high_hz ?? shown?.high_hz ?? 18000}
        limit={limitOf('FindSettings', 'high_hz')}
        logarithmic
        about=""
        {...moving('high_hz')}
      />
      <p className="curve-line">
        <button
          type="button"
          className="plain-act light"
          aria-pressed={detector}
          onClick={() => set({ detector: !detector })}
        >
          <KeyOf of="detector" /> {detector ? 'Hearing the detector' : 'Hear the detector'}
        </button>
      </p>
      {several && (
        <>
          <Setting
            name="Spill margin"
            value={find.spill_margin_db ?? MARGIN.usual!}
            limit={MARGIN}
            off={following(find.spill_margin_db)}
            about={leaksSaid(spill.data, props)}
            onMove={(value) => move({ spill_margin_db: value })}
            onDone={(value) => void done({ spill_margin_db: value })}
          />
          <p className="curve-line">
            <button
              type="button"
              className="plain-act light"
              onClick={() =>
                void done({ spill_margin_db: following(find.spill_margin_db) ? MARGIN.usual : null })
              }
            >
              {following(find.spill_margin_db) ? 'Take spill into account' : 'Switch off'}
            </button>
          </p>
          <Leakers {...props} partId={partId} part={part} />
        </>
      )}
      <Setting
        name="Sure to"
        value={find.surety_percent ?? 50}
        limit={limitOf('FindSettings', 'surety_percent')}
        about={weighs ? 'all evidence together' : 'not weighed for this material'}
        onMove={(value) => move({ surety_percent: value })}
        onDone={(value) => void done({ surety_percent: value })}
      />
    </>
  );
}

/** Which parts are believed to leak into this one. */
function Leakers({ document, overview, pieces, part, partId, find, done }: Props) {
  const named = find.spill_from ?? null;
  const others = notedParts(document, pieces).filter(([id]) => id !== partId);
  if (!part) return null;
  return (
    <details className="leakers" open={named !== null}>
      <summary>
        {named === null ? 'Leaks: learnt from the recording' : `Leaks: ${named.length} named by hand`}
      </summary>
      {others.map(([id]) => {
        const on = named === null || named.includes(id);
        return (
          <Form.Check
            key={id}
            id={`leak-${id}`}
            type="checkbox"
            label={overview?.parts.find((one) => one.part_id === id)?.name ?? id}
            checked={on}
            onChange={() => {
              const all = named ?? others.map(([other]) => other);
              void done({ spill_from: on ? all.filter((one) => one !== id) : [...all, id] });
            }}
          />
        );
      })}
      {named !== null && (
        <button type="button" className="plain-act light" onClick={() => void done({ spill_from: null })}>
          learn them again
        </button>
      )}
    </details>
  );
}

function leaksSaid(spill: SpillMap | undefined, { overview, partId }: Props): string {
  const into = (spill?.leaks ?? [])
    .filter((leak) => leak.to_part === partId)
    .sort((a, b) => b.level_db - a.level_db);
  if (!into.length) return 'no leak is known yet';
  const name = (id: string) => overview?.parts.find((one) => one.part_id === id)?.name.toLowerCase() ?? '?';
  return into
    .slice(0, 4)
    .map((leak) => `${name(leak.from_part)} ${decibels(leak.level_db, 0)}`)
    .join(', ');
}
