import { Form } from 'react-bootstrap';
import type { StageOf } from './chain';

type Recut = StageOf<'re-cut'>;
type Cut = NonNullable<Recut['steps']>[number];
const WAYS: [Cut, string][] = [
  ['as played', '·'],
  ['repeat', 'again'],
  ['reverse', 'back'],
  ['stutter 2', '2×'],
  ['stutter 3', '3×'],
  ['stutter 4', '4×'],
  ['silent', '–'],
];
const STEPS = [4, 8, 16] as const;
const BARS = [1, 2, 4];

/** What each step of one bar or more becomes; a step goes on to the next way when it is pressed. */
export function RecutSettings({
  stage,
  barBeats,
  onDone,
}: {
  stage: Recut;
  barBeats: number;
  onDone: (stage: Recut) => void;
}) {
  const step = stage.step ?? 16;
  const perBar = Math.max(Math.round((barBeats * step) / 4), 1);
  const bars = Math.max(Math.round((stage.steps ?? []).length / perBar), 1);
  const steps = filled(stage.steps ?? [], perBar * bars);
  const turn = (index: number, by: number) => {
    const at = WAYS.findIndex(([way]) => way === steps[index]);
    const next = WAYS[(at + by + WAYS.length) % WAYS.length]![0];
    onDone({ ...stage, steps: steps.map((one, k) => (k === index ? next : one)) });
  };
  return (
    <>
      <div className="selects">
        <Form.Select
          size="sm"
          aria-label="Note value of a step"
          value={step}
          onChange={(event) => {
            const next = Number(event.target.value) as Recut['step'];
            onDone({ ...stage, step: next, steps: [] });
          }}
        >
          {STEPS.map((one) => (
            <option key={one} value={one}>
              steps of 1/{one}
            </option>
          ))}
        </Form.Select>
        <Form.Select
          size="sm"
          aria-label="How many bars until it begins again"
          value={bars}
          onChange={(event) =>
            onDone({ ...stage, steps: filled(steps, perBar * Number(event.target.value)) })
          }
        >
          {BARS.filter((one) => one * perBar <= 64).map((one) => (
            <option key={one} value={one}>
              over {one} {one === 1 ? 'bar' : 'bars'}
            </option>
          ))}
        </Form.Select>
      </div>
      <div className="recut">
        {steps.map((one, index) => (
          <button
            key={index}
            type="button"
            className={one === 'as played' ? '' : 'cut'}
            aria-label={`Step ${(index % perBar) + 1} of bar ${Math.floor(index / perBar) + 1}: ${one}`}
            onClick={(event) => turn(index, event.shiftKey ? -1 : 1)}
          >
            {WAYS.find(([way]) => way === one)![1]}
          </button>
        ))}
      </div>
      <p className="about">
        Press a step: again (the step before), back, in 2, 3 or 4 pieces, silent. With Shift it goes the other
        way round.
      </p>
    </>
  );
}

/** So many steps; what is not said yet is as played. */
export function filled(steps: readonly Cut[], count: number): Cut[] {
  return Array.from({ length: count }, (_, k) => steps[k % Math.max(steps.length, 1)] ?? 'as played');
}
