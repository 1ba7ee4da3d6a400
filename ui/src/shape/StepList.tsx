import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { Setting } from '../find/Setting';
import { ActMenu } from '../shell/ActMenu';
import { useWindow } from '../state/window';
import { clock } from '../stage/axes';
import { newStep, STEPS } from './steps';
import type { Changes, Columns, Step } from './useShape';

interface Props {
  columns: Columns;
  steps: Step[];
  move: (changes: Changes) => void;
  done: (changes: Changes) => Promise<void>;
  onDraw: () => void;
}

/** For what a new step is: the strokes that are chosen, else the looped range, else all. */
export function scopeNow(): NonNullable<Step['scope']> {
  const { chosenS, selectedS, loop, looping } = useWindow.getState();
  const places = 'all' as const;
  if (chosenS.length) return { chosen_s: chosenS, places };
  if (selectedS !== null) return { chosen_s: [selectedS], places };
  return loop && looping ? { start_s: loop.startS, end_s: loop.endS, places } : { places };
}

function scopeSaid({ scope, touched }: { scope: Step['scope']; touched: number | undefined }): string {
  const where = scope?.places === 'on' ? ' on beats' : scope?.places === 'between' ? ' between beats' : '';
  const strokes = touched === undefined ? '' : `${touched} stroke${touched === 1 ? '' : 's'}${where}`;
  if (scope?.chosen_s) return `${strokes}, chosen`;
  if (scope?.start_s !== undefined && scope.start_s !== null)
    return `${strokes}, ${clock(scope.start_s, 1)} to ${clock(scope.end_s ?? 0, 1)}`;
  return where ? strokes : `all ${strokes}`;
}

/** What is done to velocities, in order: each step can be switched off, changed, moved and taken out. */
export function StepList({ columns, steps, move, done, onDraw }: Props) {
  const [open, setOpen] = useState<number | null>(null);
  const changed = (index: number, change: object) =>
    steps.map((step, at) => (at === index ? ({ ...step, ...change } as Step) : step));
  const add = (kind: Step['kind']) => {
    if (kind === 'line') return onDraw();
    setOpen(steps.length);
    void done({ steps: [...steps, newStep(kind, scopeNow())] });
  };
  const swap = (index: number, by: number) => {
    const order = [...steps];
    const other = index + by;
    if (other < 0 || other >= order.length) return;
    [order[index], order[other]] = [order[other]!, order[index]!];
    setOpen(other);
    void done({ steps: order });
  };
  return (
    <div className="steps">
      <div className="column-head">
        <span>Then, in this order</span>
      </div>
      <ol data-testid="steps">
        {steps.map((step, index) => {
          const { word, settings } = STEPS[step.kind];
          return (
            <li key={index} className={step.on === false ? 'off' : ''}>
              <div className="step-head">
                <Form.Check
                  type="switch"
                  id={`step-${index}`}
                  aria-label={`${word}, on or off`}
                  checked={step.on !== false}
                  onChange={(event) => void done({ steps: changed(index, { on: event.target.checked }) })}
                />
                <button
                  type="button"
                  className="plain-act"
                  aria-expanded={open === index}
                  onClick={() => setOpen(open === index ? null : index)}
                >
                  {word}
                  <span className="number">{summary(step)}</span>
                </button>
              </div>
              <span className="about">
                {scopeSaid({ scope: step.scope, touched: columns.touched[index] })}
              </span>
              {open === index && (
                <div className="step-body">
                  {settings.map(({ field, follows, about, ...rest }) => {
                    const value = (step as unknown as Record<string, number | null>)[field];
                    const missing = value === null || value === undefined;
                    return (
                      <Setting
                        key={field}
                        {...rest}
                        digits={0}
                        about={missing && follows ? follows : about}
                        value={missing ? 64 : value}
                        following={!follows || missing}
                        off={missing}
                        onFollow={
                          follows ? () => void done({ steps: changed(index, { [field]: null }) }) : undefined
                        }
                        onMove={(next) => move({ steps: changed(index, { [field]: next }) })}
                        onDone={(next) => void done({ steps: changed(index, { [field]: next }) })}
                      />
                    );
                  })}
                  {step.kind !== 'line' && (
                    <Form.Select
                      size="sm"
                      aria-label="Which places in the bar"
                      value={step.scope?.places ?? 'all'}
                      onChange={(event) =>
                        void done({
                          steps: changed(index, { scope: { ...step.scope, places: event.target.value } }),
                        })
                      }
                    >
                      <option value="all">all places in the bar</option>
                      <option value="on">only on the beats</option>
                      <option value="between">only between the beats</option>
                    </Form.Select>
                  )}
                  <p className="step-acts">
                    <button
                      type="button"
                      className="plain-act light"
                      disabled={!index}
                      onClick={() => swap(index, -1)}
                    >
                      earlier
                    </button>
                    <button
                      type="button"
                      className="plain-act light"
                      disabled={index === steps.length - 1}
                      onClick={() => swap(index, 1)}
                    >
                      later
                    </button>
                    <button
                      type="button"
                      className="plain-act light"
                      onClick={() => void done({ steps: steps.filter((_, at) => at !== index) })}
                    >
                      take it out
                    </button>
                  </p>
                </div>
              )}
            </li>
          );
        })}
      </ol>
      <ActMenu
        says="Add a step …"
        testId="add-step"
        choices={(Object.keys(STEPS) as Step['kind'][]).map((kind) => ({
          id: kind,
          says: `${STEPS[kind].word}: ${STEPS[kind].about}`,
        }))}
        onChoose={add}
      />
    </div>
  );
}

/** The one number of a step that says most. */
function summary(step: Step): string {
  switch (step.kind) {
    case 'raise':
      return `${(step.by ?? 0) > 0 ? '+' : ''}${step.by ?? 0}`.replace('-', '−');
    case 'scale':
    case 'even':
    case 'accents':
      return `${step.percent} %`;
    case 'set':
      return `${step.velocity}`;
    case 'random':
      return `±${step.amount}`;
    case 'limits':
      return `${step.floor}–${step.ceiling}`;
    case 'ghosts':
      return `≤ ${step.loudest}`;
    case 'recovery':
      return `${step.depth_percent} %, ${step.recovery_ms} ms`;
    case 'line':
      return `${step.points.length} points`;
  }
}
