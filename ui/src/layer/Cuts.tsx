import { limitOf } from '../api/limit';
import { Form } from 'react-bootstrap';
import type { Schema } from '../api/client';
import { Setting } from '../find/Setting';

type Cut = Pick<Schema['Blend'], 'low_cut_hz' | 'low_cut_slope' | 'high_cut_hz' | 'high_cut_slope'>;
type Change = (changes: Record<string, number | null>) => void;

const SIDES = [
  { side: 'low', field: 'low_cut_hz', off: 'least', where: 'under' },
  { side: 'high', field: 'high_cut_hz', off: 'most', where: 'over' },
] as const;
const SLOPES = [6, 12, 24];

/** Where the low and the high cut stand, of a layer or of the recording. */
export function CutSettings({ of, what, change }: { of: Cut; what: string; change: Change }) {
  return SIDES.map(({ side, field, off, where }) => {
    const value = of[field] ?? null;
    const limit = limitOf('Blend', field);
    return (
      <Setting
        key={field}
        name={what ? `${what} ${side} cut` : `${side === 'low' ? 'Low' : 'High'} cut`}
        limit={limit}
        value={value ?? limit[off]}
        logarithmic
        off={value === null}
        about={value === null ? 'off' : `${where} it the ${what ? what.toLowerCase() : 'layer'} is silent`}
        following={value === null}
        onFollow={() => change({ [field]: null })}
        onDone={(next) => change({ [field]: next })}
      />
    );
  });
}

/** How steep the two are. */
export function CutSlopes({ of, what, change }: { of: Cut; what: string; change: Change }) {
  return SIDES.map(({ side }) => {
    const field = `${side}_cut_slope` as const;
    return (
      <Form.Select
        key={field}
        size="sm"
        aria-label={`Slope of the ${what ? `${what.toLowerCase()}’s ` : ''}${side} cut`}
        value={of[field] ?? 12}
        onChange={(event) => change({ [field]: Number(event.target.value) })}
      >
        {SLOPES.map((slope) => (
          <option key={slope} value={slope}>
            {side} cut {slope} dB an octave
          </option>
        ))}
      </Form.Select>
    );
  });
}
