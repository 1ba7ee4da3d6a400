import { limitOf } from '../api/limit';
import { useState } from 'react';
import { ButtonGroup, ToggleButton } from 'react-bootstrap';
import { Setting } from '../find/Setting';
import type { BenchProps } from '../shell/bench';
import { CutSettings, CutSlopes } from './Cuts';

type Stands = 'whole' | 'room' | 'off';
const STANDS: [Stands, string, Record<string, number | boolean>][] = [
  ['whole', 'kept', { recording_on: true, duck_db: 0 }],
  ['room', 'down at hits', { recording_on: true, duck_db: -60 }],
  ['off', 'replaced', { recording_on: false }],
];

/**
 * The recording against the layers: kept, making room around its hits, or replaced; low under a filter if
 * wanted.
 */
export function BlendRow({
  doing,
  partId,
  part,
}: Pick<BenchProps, 'doing'> & { partId: string; part: NonNullable<BenchProps['part']> }) {
  const [open, setOpen] = useState(false);
  const blend = part.blend ?? {};
  const change = (changes: Record<string, number | boolean | null>) =>
    void doing.act({ kind: 'set_blend', part_id: partId, changes });
  const stands: Stands = !(blend.recording_on ?? true) ? 'off' : (blend.duck_db ?? 0) < 0 ? 'room' : 'whole';
  const row = (
    field: 'duck_db' | 'duck_in_ms' | 'duck_hold_ms' | 'duck_out_ms',
    name: string,
    about: string,
  ) => {
    const limit = limitOf('Blend', field);
    return (
      <Setting
        key={field}
        name={name}
        limit={limit}
        value={blend[field] ?? limit.usual!}
        about={about}
        onDone={(value) => change({ [field]: value })}
      />
    );
  };
  return (
    <div className="layer-row">
      <div>
        <strong>Recording</strong>
        <ButtonGroup className="stands" aria-label="The recording is">
          {STANDS.map(([value, word, changes]) => (
            <ToggleButton
              key={value}
              id={`recording-${value}`}
              type="radio"
              name="recording-stands"
              variant="ink"
              value={value}
              checked={stands === value}
              onChange={() => change(changes)}
            >
              {word}
            </ToggleButton>
          ))}
        </ButtonGroup>
        <button type="button" className="plain-act" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? 'Less' : 'Room and filter'}
        </button>
      </div>
      <Setting
        name="Recording level"
        value={blend.recording_db ?? 0}
        limit={limitOf('Blend', 'recording_db')}
        about="0 dB is as recorded"
        onDone={(value) => change({ recording_db: value })}
      />
      <Setting
        name="All layers"
        value={blend.layers_db ?? 0}
        limit={limitOf('Blend', 'layers_db')}
        about="together, against the recording"
        onDone={(value) => change({ layers_db: value })}
      />
      {open && (
        <div className="voice">
          {row('duck_db', 'Down at hits by', '−60 dB is silence; its spill stays between hits')}
          {row('duck_in_ms', 'Fades down in', 'before the hit')}
          {row('duck_hold_ms', 'Stays down for', 'from the hit on')}
          {row('duck_out_ms', 'Fades up in', 'and is as before')}
          <CutSettings of={blend} what="Recording" change={change} />
          <div className="voice-words">
            <CutSlopes of={blend} what="Recording" change={change} />
          </div>
        </div>
      )}
    </div>
  );
}
