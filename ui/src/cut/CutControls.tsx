import { ButtonGroup, Form, ToggleButton } from 'react-bootstrap';
import type { Schema } from '../api/client';

type Cut = Schema['CutSettings'];
const BY = ['hits', 'grid', 'both'] as const;
const STEPS = ['bar', '1/2', '1/4', '1/8', '1/16', '1/32'] as const;

/** What a source is cut at: its hits, the grid, or both; and whether slices are equally loud. */
export function CutControls({
  cut,
  onChange,
}: {
  cut: Cut | undefined;
  onChange: (changes: Record<string, string | boolean>) => void;
}) {
  const by = cut?.by ?? 'hits';
  return (
    <>
      <ButtonGroup aria-label="Cut at">
        {BY.map((value) => (
          <ToggleButton
            key={value}
            id={`cut-${value}`}
            type="radio"
            name="cut-by"
            variant="ink"
            value={value}
            checked={by === value}
            onChange={() => onChange({ by: value })}
          >
            {value}
          </ToggleButton>
        ))}
      </ButtonGroup>
      {by !== 'hits' && (
        <Form.Select
          size="sm"
          aria-label="Step of the grid"
          value={`${cut?.step ?? '1/16'}${cut?.triplets ? ' triplets' : ''}`}
          onChange={(event) => {
            const [step, triplets] = event.target.value.split(' ');
            onChange({ step: step!, triplets: Boolean(triplets) });
          }}
        >
          {STEPS.map((step) => (
            <option key={step}>{step}</option>
          ))}
          {STEPS.slice(1).map((step) => (
            <option key={`${step} triplets`}>{step} triplets</option>
          ))}
        </Form.Select>
      )}
      <Form.Check
        type="switch"
        id="slices-matched"
        label="equally loud"
        checked={cut?.matched ?? false}
        onChange={(event) => onChange({ matched: event.target.checked })}
      />
    </>
  );
}
