import { knownTempo, tempoSaid } from '../stage/axes';
import { limitOf, scaled } from '../api/limit';
import { useState, type ComponentProps } from 'react';
import { Form } from 'react-bootstrap';
import { client, type Document, type Schema } from '../api/client';
import { type Doing } from '../api/session';
import { Setting } from '../find/Setting';
import type { Changes, Columns, Grid, Timing } from './useShape';

const STEPS = [
  [4, '1/4'],
  [8, '1/8'],
  [16, '1/16'],
  [32, '1/32'],
] as const;
const KINDS = [
  ['straight', 'straight'],
  ['triplet', 'triplets'],
  ['dotted', 'dotted'],
] as const;

interface Props {
  doing: Doing;
  document: Document;
  partId: string;
  name: string;
  columns: Columns;
  timing: Timing;
  grid: Grid;
  onGrid: (grid: Grid) => void;
  move: (changes: Changes) => void;
  done: (changes: Changes) => Promise<void>;
}

/** A setting that is heard while it moves and counts when it is let go. */
function Slide({
  onSet,
  ...rest
}: Omit<ComponentProps<typeof Setting>, 'onMove' | 'onDone'> & {
  onSet: (value: number, ended: boolean) => void;
}) {
  return <Setting {...rest} onMove={(value) => onSet(value, false)} onDone={(value) => onSet(value, true)} />;
}

/** When: how far strokes are drawn to a grid or a feel, and all of them moved. */
export function TimingSettings({
  doing,
  document,
  partId,
  name,
  columns,
  timing,
  grid,
  onGrid,
  move,
  done,
}: Props) {
  const tempo = knownTempo(document);
  const [called, setCalled] = useState('');
  const [samples, setSamples] = useState(false);
  const perMs = (document.rate_hz ?? 44100) / 1000;
  const quantise = timing.quantise ?? null;
  const use = timing.feel ?? null;
  const feels = Object.entries(document.feels ?? {});
  const set = (change: Partial<Timing>, ended = true) => {
    const changes: Changes = { timing: { ...timing, ...change } as Timing };
    if (ended) void done(changes);
    else move(changes);
  };
  const drawn = quantise?.on !== false && quantise !== null;
  const setGrid = (change: Partial<Grid>, ended = true) => {
    const next = { ...grid, ...change } as Grid;
    onGrid(next);
    if (quantise) set({ quantise: { ...quantise, grid: next } }, ended);
  };
  const setQuantise = (change: Partial<Schema['Quantise']>, ended = true) =>
    set({ quantise: { ...(quantise ?? {}), grid, on: true, ...change } as Schema['Quantise'] }, ended);
  const keep = () => {
    const label = called.trim() || `${name}, ${document.name}`.slice(0, 80);
    setCalled('');
    void doing.revised((revision) =>
      client.POST('/api/sessions/{session_id}/parts/{part_id}/feel', {
        params: { path: { session_id: doing.id, part_id: partId } },
        body: { revision, name: label, grid },
      }),
    );
  };
  return (
    <>
      <div className="column-head">
        <span>The grid that strokes are told against</span>
        <span className="push">{tempo ? tempoSaid(tempo) : 'no tempo known'}</span>
      </div>
      <div className="two-selects">
        <Form.Select
          size="sm"
          aria-label="Step of the grid"
          value={grid.step ?? 16}
          onChange={(event) => setGrid({ step: Number(event.target.value) as Grid['step'] })}
        >
          {STEPS.map(([value, word]) => (
            <option key={value} value={value}>
              {word}
            </option>
          ))}
        </Form.Select>
        <Form.Select
          size="sm"
          aria-label="Kind of grid"
          value={grid.kind ?? 'straight'}
          onChange={(event) => setGrid({ kind: event.target.value as Grid['kind'] })}
        >
          {KINDS.map(([value, word]) => (
            <option key={value} value={value}>
              {word}
            </option>
          ))}
        </Form.Select>
      </div>
      <Slide
        name="Swing"
        value={grid.swing_percent ?? 50}
        limit={limitOf('Grid', 'swing_percent')}
        about="where every second step stands; 66.7 % as in triplets"
        onSet={(value, ended) => setGrid({ swing_percent: value }, ended)}
      />
      <Form.Check
        type="switch"
        id="quantise"
        label="Draw strokes to it"
        checked={drawn}
        onChange={(event) => setQuantise({ on: event.target.checked })}
      />
      {drawn && (
        <div className="step-body">
          <Slide
            name="How far"
            value={quantise.strength_percent ?? 100}
            limit={limitOf('Quantise', 'strength_percent')}
            about="100 % puts them on it"
            onSet={(value, ended) => setQuantise({ strength_percent: value }, ended)}
          />
          <Slide
            name="Only within"
            value={quantise.within_ms ?? 200}
            limit={limitOf('Quantise', 'within_ms')}
            off={quantise.within_ms === null || quantise.within_ms === undefined}
            about={quantise.within_ms ? 'strokes further off stay' : 'off: all are drawn'}
            following={!quantise.within_ms}
            onFollow={() => setQuantise({ within_ms: null })}
            onSet={(value, ended) => setQuantise({ within_ms: value }, ended)}
          />
          <Slide
            name="Together"
            value={quantise.together_ms ?? 45}
            limit={limitOf('Quantise', 'together_ms')}
            about="closer strokes move as one: flams, drags"
            onSet={(value, ended) => setQuantise({ together_ms: value }, ended)}
          />
        </div>
      )}
      <Slide
        name="Shift"
        value={(timing.shift_ms ?? 0) * (samples ? perMs : 1)}
        limit={
          samples ? scaled(limitOf('Timing', 'shift_ms'), perMs, 'samples', 1) : limitOf('Timing', 'shift_ms')
        }
        about="the whole part earlier or later"
        onSet={(value, ended) => set({ shift_ms: samples ? value / perMs : value }, ended)}
      />
      <button type="button" className="plain-act light" onClick={() => setSamples(!samples)}>
        in {samples ? 'milliseconds' : 'samples'}
      </button>
      <div className="column-head spaced">
        <span>Feel</span>
      </div>
      <div className="feel-keep">
        <Form.Control
          size="sm"
          placeholder={`name the feel of ${name.toLowerCase()}`}
          aria-label="Name of the feel"
          value={called}
          maxLength={80}
          onChange={(event) => setCalled(event.target.value)}
          onKeyDown={(event) => event.key === 'Enter' && keep()}
        />
        <button type="button" className="plain-act light" onClick={keep} disabled={columns.time_s.length < 4}>
          keep it
        </button>
      </div>
      {feels.length ? (
        <ul className="feels" data-testid="feels">
          {feels.map(([id, feel]) => {
            const lies = use?.on !== false && use?.feel.name === feel.name;
            return (
              <li key={id}>
                <Form.Check
                  type="switch"
                  id={`feel-${id}`}
                  label={feel.name}
                  checked={lies}
                  onChange={(event) =>
                    set({
                      feel: event.target.checked
                        ? { on: true, feel, timing_percent: 100, strength_percent: 100 }
                        : null,
                    })
                  }
                />
                <button
                  type="button"
                  className="plain-act light"
                  aria-label={`Forget the feel ${feel.name}`}
                  onClick={() => void doing.act({ kind: 'drop_feel', feel_id: id })}
                >
                  forget
                </button>
              </li>
            );
          })}
        </ul>
      ) : (
        <p className="about">
          Keep how early, late and strong this part is per step, then lay it on another part.
        </p>
      )}
      {use && use.on !== false && (
        <div className="step-body">
          <Slide
            name="Its timing"
            value={use.timing_percent ?? 100}
            limit={limitOf('FeelUse', 'timing_percent')}
            about="how far strokes go to where it has them"
            onSet={(value, ended) => set({ feel: { ...use, timing_percent: value } }, ended)}
          />
          <Slide
            name="Its strength"
            value={use.strength_percent ?? 100}
            limit={limitOf('FeelUse', 'strength_percent')}
            about="how far velocities go to its accents"
            onSet={(value, ended) => set({ feel: { ...use, strength_percent: value } }, ended)}
          />
        </div>
      )}
    </>
  );
}
