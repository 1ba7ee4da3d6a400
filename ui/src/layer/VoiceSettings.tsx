import { Form } from 'react-bootstrap';
import type { Layer, Schema } from '../api/client';
import { limitOf } from '../api/limit';
import type { LIMITS } from '../api/limits';
import { Setting } from '../find/Setting';
import { CutSettings, CutSlopes } from './Cuts';

interface Props {
  layer: Layer;
  change: (changes: Schema['SetLayer']['changes']) => void;
}

interface Row {
  field: keyof (typeof LIMITS)['Layer'] & keyof Layer;
  name: string;
  about: string;
  /** What it means where nothing is set. */
  off?: string;
}

const ROWS: Row[] = [
  { field: 'tune_semitones', name: 'Tune', about: 'semitones up or down' },
  { field: 'start_ms', name: 'Start later', about: 'left out after its attack' },
  { field: 'attack_ms', name: 'Fade in', about: 'from its attack on' },
  { field: 'hold_ms', name: 'Hold', about: 'then it decays', off: 'whole: it rings as recorded' },
  { field: 'decay_ms', name: 'Decay', about: 'to 60 dB less, after the hold' },
  { field: 'fade_ms', name: 'Fade out', about: 'where its note or another ends it' },
  { field: 'low_velocity', name: 'From velocity', about: 'softer notes: silent' },
  { field: 'high_velocity', name: 'Up to velocity', about: 'harder notes: silent' },
];

/** How a layer plays its samples. */
export function VoiceSettings({ layer, change }: Props) {
  const ended = layer.length === 'note' || Boolean(layer.silenced_by?.length);
  return (
    <div className="voice">
      {ROWS.map(({ field, name, about, off }) => {
        const limit = limitOf('Layer', field);
        const value = layer[field] as number | null | undefined;
        const missing = value === null || value === undefined;
        return (
          <Setting
            key={field}
            name={name}
            limit={limit}
            value={missing ? limit.high : value}
            off={Boolean(off) && missing}
            about={
              field === 'fade_ms' && !ended
                ? 'nothing ends it early: it rings out'
                : missing && off
                  ? off
                  : about
            }
            following={!off || missing}
            onFollow={off ? () => change({ [field]: null }) : undefined}
            onDone={(next) => change({ [field]: next })}
          />
        );
      })}
      <CutSettings of={layer} what="" change={change} />
      <LockChoices layer={layer} change={change} />
      <div className="voice-words">
        <CutSlopes of={layer} what="" change={change} />
        <Form.Select
          size="sm"
          aria-label="On which strokes"
          value={layer.strokes ?? 'all'}
          onChange={(event) => change({ strokes: event.target.value })}
        >
          <option value="all">on all strokes</option>
          <option value="full">on full strokes only</option>
          <option value="ghosts">on ghosts only</option>
        </Form.Select>
        <Form.Select
          size="sm"
          aria-label="How long"
          value={layer.length ?? 'whole'}
          onChange={(event) => change({ length: event.target.value })}
        >
          <option value="whole">the whole sample</option>
          <option value="note">as long as its note</option>
        </Form.Select>
        <Notes
          layer={layer}
          field="notes"
          name="Only on notes"
          empty="all notes of the part"
          change={change}
        />
        <Notes layer={layer} field="silenced_by" name="Silenced by notes" empty="none" change={change} />
      </div>
    </div>
  );
}

/** A list of note numbers that is typed: which articulations a layer sounds on, and which silence it. */
function Notes({
  layer,
  field,
  name,
  empty,
  change,
}: {
  layer: Layer;
  field: 'notes' | 'silenced_by';
  name: string;
  empty: string;
  change: Props['change'];
}) {
  const now = (layer[field] ?? []).join(', ');
  return (
    <label className="typed-notes">
      <span>{name}</span>
      <Form.Control
        key={now}
        size="sm"
        aria-label={name}
        placeholder={empty}
        defaultValue={now}
        onKeyDown={(event) => event.key === 'Enter' && (event.target as HTMLInputElement).blur()}
        onBlur={(event) => {
          const typed = event.target.value.split(/[^\d]+/).filter(Boolean);
          if (typed.join(', ') !== now) change({ [field]: typed.map(Number) });
        }}
      />
    </label>
  );
}

/** What a layer is locked to, and how far its attack may move from the hit. */
function LockChoices({ layer, change }: Props) {
  return (
    <>
      <Setting
        name="Lock, most offset"
        limit={limitOf('Layer', 'most_offset_ms')}
        value={layer.most_offset_ms ?? 0.3}
        about={layer.polarity_only ? 'polarity only: the attack stays on the hit' : 'for a different sound'}
        off={layer.polarity_only}
        onDone={(next) => change({ most_offset_ms: next, polarity_only: false })}
      />
      <div className="voice-words">
        <Form.Select
          size="sm"
          aria-label="Lock against"
          value={layer.lock_against ?? 'own'}
          onChange={(event) => change({ lock_against: event.target.value })}
        >
          <option value="own">lock against its own mic</option>
          <option value="overheads">lock against the overheads</option>
          <option value="heard">lock against what is heard</option>
        </Form.Select>
        <Form.Check
          type="switch"
          id="polarity-only"
          label="Lock polarity only"
          checked={layer.polarity_only ?? false}
          onChange={(event) => change({ polarity_only: event.target.checked })}
        />
      </div>
    </>
  );
}
