import { useState } from 'react';
import { Form } from 'react-bootstrap';
import type { Document, Overview, Schema } from '../api/client';
import { limitOf } from '../api/limit';
import type { Doing } from '../api/session';
import { useKeptKit } from '../cut/useKeptKit';
import { KeyOf } from '../commands/KeyOf';
import { Setting } from '../find/Setting';
import { UnderWay } from '../shell/UnderWay';
import { useWindow } from '../state/window';
import { writtenAround } from './bars';
import type { Bar } from './layout';
import type { Grid, useWriting } from './useWriting';

export type Varying = Partial<Schema['Vary']>;
const GRIDS: [string, Grid['step'], Grid['kind']][] = [
  ['1/8', 8, 'straight'],
  ['1/8 triplets', 8, 'triplet'],
  ['1/16', 16, 'straight'],
  ['1/16 triplets', 16, 'triplet'],
  ['1/32', 32, 'straight'],
];
const OWN = 'own';

interface Props {
  doing: Doing;
  document: Document;
  library: Schema['Library'];
  overview: Overview | undefined;
  bar: Bar | null;
  number: number;
  grid: Grid;
  onGrid: (grid: Grid) => void;
  varying: Varying;
  onVarying: (varying: Varying) => void;
  drawn: number;
  onDrawn: (percent: number) => void;
  click: boolean;
  writing: ReturnType<typeof useWriting>;
}

/** What written bars sound with, how finely they are written, whose feel they take, how they vary. */
export function WriteSettings(props: Props) {
  const { bar, number, grid, onGrid, varying, onVarying, drawn, onDrawn, click, writing } = props;
  const set = useWindow((state) => state.set);
  return (
    <>
      <SoundsFrom {...props} />
      <section className="write-set" aria-label="Steps">
        <div className="column-head">
          <span>Steps of the bar</span>
        </div>
        <Form.Select
          size="sm"
          aria-label="Steps of the bar"
          value={GRIDS.find(([, step, kind]) => step === grid.step && kind === grid.kind)?.[0]}
          onChange={(event) => {
            const [, step, kind] = GRIDS.find(([word]) => word === event.target.value)!;
            onGrid({ step, kind, swing_percent: 50 });
          }}
        >
          {GRIDS.map(([word]) => (
            <option key={word}>{word}</option>
          ))}
        </Form.Select>
      </section>
      {bar && <FeelOf {...props} bar={bar} />}
      <section className="write-set" aria-label="Vary">
        <div className="column-head">
          <span>
            <KeyOf of="vary" /> varies so far
          </span>
        </div>
        {VARYING.map(([field, name, about]) => {
          const limit = limitOf('Vary', field);
          return (
            <Setting
              key={field}
              name={name}
              value={varying[field] ?? limit.usual ?? 0}
              limit={limit}
              about={about}
              onDone={(value) => onVarying({ ...varying, [field]: value })}
            />
          );
        })}
      </section>
      <section className="write-set" aria-label="Playing in">
        <div className="column-head">
          <span>Playing in</span>
        </div>
        <Form.Check
          type="switch"
          id="write-click"
          label="a click on every beat"
          checked={click}
          onChange={(event) => set({ click: event.target.checked })}
        />
        <Setting
          name="To the steps"
          value={drawn}
          limit={limitOf('PlayedPass', 'drawn_percent')}
          about="0 % leaves strokes as they were played"
          onDone={onDrawn}
        />
      </section>
      <section className="write-set">
        <button
          type="button"
          className="plain-act light"
          onClick={() => void writing.empty({ bar: number, to_bar: number, recorded: false })}
        >
          <KeyOf of="emptyBar" /> empty bar {number}
        </button>
      </section>
    </>
  );
}

const VARYING: [keyof Schema['Vary'], string, string][] = [
  ['drop_percent', 'Leave out', 'of the soft strokes'],
  ['add_percent', 'Bring in', 'of what the part plays in other bars'],
  ['shift_percent', 'Move', 'as much as the part itself does from bar to bar'],
];

/** The kit that written strokes sound with: one of the library, or this recording's own drums. */
function SoundsFrom({ doing, document, library, bar, writing }: Props) {
  const kit = useKeptKit(doing.id);
  const inUse = new Set(
    Object.values(document.parts ?? {}).flatMap((part) =>
      Object.values(part.layers ?? {}).flatMap((layer) =>
        layer.sounds_on === 'written' ? layer.instrument.samples.map((sample) => sample.audio) : [],
      ),
    ),
  );
  const kits = Object.entries(library.kits);
  const used = kits.find(([, of]) =>
    Object.values(of.instruments ?? {}).some((one) => one.samples.some(({ audio }) => inUse.has(audio))),
  );
  const silent = bar?.lines.filter((line) => !line.sounds).map((line) => line.name.toLowerCase()) ?? [];
  const recorded = Object.keys(document.sources ?? {}).length > 0;
  const make = () => kit.keep({}, (made) => void writing.soundWith(made.kit_id));
  return (
    <section className="write-set" aria-label="Sounds">
      <div className="column-head">
        <span>What is written sounds with</span>
      </div>
      {kit.job ? (
        <UnderWay job={kit.job} said="choosing strokes" onCancel={kit.cancel} />
      ) : (
        <Form.Select
          size="sm"
          aria-label="What is written sounds with"
          value={used?.[0] ?? ''}
          onChange={(event) =>
            event.target.value === OWN ? void make() : void writing.soundWith(event.target.value)
          }
        >
          {!used && (
            <option value="" disabled>
              the layers as they are
            </option>
          )}
          {recorded && <option value={OWN}>this recording’s own drums</option>}
          {kits.map(([id, one]) => (
            <option key={id} value={id}>
              {one.name}
            </option>
          ))}
        </Form.Select>
      )}
      {silent.length > 0 && (
        <p className="about">
          {silent.length === bar?.lines.length
            ? 'Nothing sounds yet where it is written: choose a kit.'
            : `Silent where written: ${silent.join(', ')}.`}
        </p>
      )}
    </section>
  );
}

const TIMING = limitOf('FeelBars', 'timing_percent');
const STRENGTH = limitOf('FeelBars', 'strength_percent');

/** Whose feel is laid over what is written. */
function FeelOf({ document, bar, number, grid, writing }: Props & { bar: Bar }) {
  const [of, setOf] = useState('');
  const [timing, setTiming] = useState(TIMING.usual ?? 100);
  const [strength, setStrength] = useState(STRENGTH.usual ?? 0);
  const feels = Object.entries(document.feels ?? {});
  const playing = bar.lines.filter((line) => document.parts?.[line.part_id]?.sources.length);
  const chosen = of || (playing[0] ? `part ${playing[0].part_id}` : feels[0] ? `feel ${feels[0][0]}` : '');
  if (!chosen) return null;
  const [kind, id = ''] = chosen.split(' ');
  const around = writtenAround(bar.bars, number);
  const said = around.bar === around.to_bar ? `bar ${around.bar}` : `bars ${around.bar}–${around.to_bar}`;
  return (
    <section className="write-set" aria-label="Feel">
      <div className="column-head">
        <span>Feel of</span>
      </div>
      <Form.Select
        size="sm"
        aria-label="Feel of"
        value={chosen}
        onChange={(event) => setOf(event.target.value)}
      >
        {playing.map((line) => (
          <option key={line.part_id} value={`part ${line.part_id}`}>
            {line.name.toLowerCase()}, as recorded
          </option>
        ))}
        {feels.map(([key, feel]) => (
          <option key={key} value={`feel ${key}`}>
            {feel.name}
          </option>
        ))}
      </Form.Select>
      <Setting
        name="Timing"
        value={timing}
        limit={TIMING}
        about="early and late as it plays"
        onDone={setTiming}
      />
      <Setting
        name="Strength"
        value={strength}
        limit={STRENGTH}
        about="loud and soft as it plays"
        onDone={setStrength}
      />
      <button
        type="button"
        className="look-act"
        onClick={() =>
          void writing.feel({
            ...around,
            of_part: kind === 'part' ? id : null,
            of_feel: kind === 'feel' ? id : null,
            grid,
            timing_percent: timing,
            strength_percent: strength,
          })
        }
      >
        Lay it over {said}
      </button>
    </section>
  );
}
