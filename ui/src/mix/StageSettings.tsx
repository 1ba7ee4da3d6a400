import { Form } from 'react-bootstrap';
import { limitOf, type Limit } from '../api/limit';
import { Setting } from '../find/Setting';
import type { Band, Stage } from './chain';
import { RecutSettings } from './RecutSettings';

interface Row {
  field: string;
  name: string;
  limit: Limit;
  about: string;
  logarithmic?: boolean;
  off?: boolean;
}

const row = (field: string, name: string, limit: Limit, about: string, more: Partial<Row> = {}): Row => ({
  field,
  name,
  limit,
  about,
  ...more,
});

const DYNAMICS: Row[] = [
  row('threshold_db', 'Over', limitOf('DynamicsStage', 'threshold_db'), 'what is louder goes down'),
  row('ratio', 'Ratio', limitOf('DynamicsStage', 'ratio'), 'so many dB become one'),
  row('attack_ms', 'Attack', limitOf('DynamicsStage', 'attack_ms'), 'slow lets the stroke through'),
  row('release_ms', 'Release', limitOf('DynamicsStage', 'release_ms'), 'in time with the song it breathes', {
    logarithmic: true,
  }),
  row('knee_db', 'Knee', limitOf('DynamicsStage', 'knee_db'), 'how softly it begins'),
  row('make_up_db', 'Make up', limitOf('DynamicsStage', 'make_up_db'), 'all of it louder again'),
  row(
    'blend_percent',
    'Blend',
    limitOf('DynamicsStage', 'blend_percent'),
    'less leaves the dry one beside it',
  ),
];
const ATTACK: Row[] = [
  row('attack_db', 'Attack', limitOf('AttackBodyStage', 'attack_db'), 'the stroke itself'),
  row('attack_ms', 'Attack lasts', limitOf('AttackBodyStage', 'attack_ms'), 'from where it begins'),
  row('body_db', 'Body', limitOf('AttackBodyStage', 'body_db'), 'what rings after it'),
  row('body_ms', 'Body lasts', limitOf('AttackBodyStage', 'body_ms'), 'then it is as it was', {
    logarithmic: true,
  }),
];
const DRIVE: Row[] = [
  row('drive_db', 'Drive', limitOf('DriveStage', 'drive_db'), 'level is made up'),
  row(
    'blend_percent',
    'Blend',
    limitOf('DriveStage', 'blend_percent'),
    'less leaves the clean one beside it',
  ),
];
const WIDTH: Row[] = [
  row('width_percent', 'Width', limitOf('WidthStage', 'width_percent'), '0 is one place, 100 as it was'),
];
const SWEEP: Row[] = [
  row('from_hz', 'Stands at', limitOf('SweepStage', 'from_hz'), 'at its beginning', { logarithmic: true }),
  row('to_hz', 'Goes to', limitOf('SweepStage', 'to_hz'), 'half way', { logarithmic: true }),
  row('every_beats', 'Comes back in', limitOf('SweepStage', 'every_beats'), '16 are four bars of four'),
  row('ring', 'Ring', limitOf('SweepStage', 'ring'), 'how much it sings where it stands'),
  row('blend_percent', 'Blend', limitOf('SweepStage', 'blend_percent'), 'less leaves the dry one beside it'),
];
const SLOPES = [6, 12, 18, 24, 30, 36, 42, 48];

interface Props {
  stage: Stage;
  /** The bell or shelf that is looked at. */
  band: number;
  /** Quarter notes in a bar. */
  barBeats: number;
  onBand: (band: number) => void;
  onMove: (stage: Stage) => void;
  onDone: (stage: Stage) => void;
}

/** The settings of one stage. */
export function StageSettings({ stage, band, barBeats, onBand, onMove, onDone }: Props) {
  const rows = (all: Row[]) =>
    all.map((one) => (
      <Setting
        key={one.field}
        name={one.name}
        limit={one.limit}
        about={one.about}
        logarithmic={one.logarithmic}
        value={((stage as Record<string, unknown>)[one.field] as number) ?? one.limit.usual ?? 0}
        onMove={(value) => onMove({ ...stage, [one.field]: value } as Stage)}
        onDone={(value) => onDone({ ...stage, [one.field]: value } as Stage)}
      />
    ));
  switch (stage.kind) {
    case 'cuts':
      return <CutsSettings stage={stage} onMove={onMove} onDone={onDone} />;
    case 'equaliser':
      return <Bands stage={stage} band={band} onBand={onBand} onMove={onMove} onDone={onDone} />;
    case 'dynamics':
      return (
        <>
          {rows(DYNAMICS)}
          <HearsFrom stage={stage} onMove={onMove} onDone={onDone} />
          <Form.Check
            type="switch"
            id="dynamics-apart"
            label="middle and sides apart"
            checked={stage.apart ?? false}
            onChange={(event) => onDone({ ...stage, apart: event.target.checked })}
          />
        </>
      );
    case 'attack and body':
      return <>{rows(ATTACK)}</>;
    case 'drive':
      return <>{rows(DRIVE)}</>;
    case 'width':
      return <>{rows(WIDTH)}</>;
    case 'sweep':
      return (
        <>
          <Form.Select
            size="sm"
            aria-label="What it takes away"
            value={stage.takes ?? 'highs'}
            onChange={(event) => onDone({ ...stage, takes: event.target.value as 'highs' | 'lows' })}
          >
            <option value="highs">takes the highs away</option>
            <option value="lows">takes the lows away</option>
          </Form.Select>
          {rows(SWEEP)}
        </>
      );
    case 're-cut':
      return <RecutSettings stage={stage} barBeats={barBeats} onDone={onDone} />;
    default:
      return null;
  }
}

type Of<K> = Extract<Stage, { kind?: K }>;
interface Changes<K> {
  stage: Of<K>;
  onMove: (stage: Stage) => void;
  onDone: (stage: Stage) => void;
}

function CutsSettings({ stage, onMove, onDone }: Changes<'cuts'>) {
  const ends = [
    ['low_cut_hz', 'low_cut_slope', 'Low cut', 30, 'what lies lower goes'],
    ['high_cut_hz', 'high_cut_slope', 'High cut', 12000, 'what lies higher goes'],
  ] as const;
  return (
    <>
      {ends.map(([field, slope, name, usual, about]) => {
        const on = stage[field] !== null && stage[field] !== undefined;
        return (
          <div key={field}>
            <Form.Check
              type="switch"
              id={`stage-${field}`}
              label={name.toLowerCase()}
              checked={on}
              onChange={() => onDone({ ...stage, [field]: on ? null : usual } as Stage)}
            />
            {on && (
              <>
                <Setting
                  name={name}
                  limit={limitOf('CutsStage', field)}
                  logarithmic
                  value={stage[field] ?? usual}
                  about={about}
                  onMove={(value) => onMove({ ...stage, [field]: value } as Stage)}
                  onDone={(value) => onDone({ ...stage, [field]: value } as Stage)}
                />
                <Form.Select
                  size="sm"
                  aria-label={`${name} slope`}
                  value={stage[slope] ?? 12}
                  onChange={(event) => onDone({ ...stage, [slope]: Number(event.target.value) } as Stage)}
                >
                  {SLOPES.map((one) => (
                    <option key={one} value={one}>
                      {one} dB an octave
                    </option>
                  ))}
                </Form.Select>
              </>
            )}
          </div>
        );
      })}
    </>
  );
}

function HearsFrom({ stage, onMove, onDone }: Changes<'dynamics'>) {
  const on = stage.hears_from_hz !== null && stage.hears_from_hz !== undefined;
  return (
    <>
      <Form.Check
        type="switch"
        id="dynamics-hears"
        label="low end does not turn it down"
        checked={on}
        onChange={() => onDone({ ...stage, hears_from_hz: on ? null : 120 })}
      />
      {on && (
        <Setting
          name="Hears from"
          limit={limitOf('DynamicsStage', 'hears_from_hz')}
          logarithmic
          value={stage.hears_from_hz ?? 120}
          about="what lies lower is not heard by it"
          onMove={(value) => onMove({ ...stage, hears_from_hz: value })}
          onDone={(value) => onDone({ ...stage, hears_from_hz: value })}
        />
      )}
    </>
  );
}

const SHAPES = ['bell', 'low shelf', 'high shelf'] as const;
const MOST_BANDS = 8;

function Bands({
  stage,
  band,
  onBand,
  onMove,
  onDone,
}: Changes<'equaliser'> & { band: number; onBand: (band: number) => void }) {
  const bands = stage.bands ?? [];
  const at = Math.min(band, bands.length - 1);
  const one = bands[at];
  const changed = (changes: Partial<Band>): Stage => ({
    ...stage,
    bands: bands.map((of, index) => (index === at ? { ...of, ...changes } : of)),
  });
  const setting = (field: 'at_hz' | 'by_db' | 'octaves', name: string, about: string) => (
    <Setting
      key={`${at}-${field}`}
      name={name}
      limit={limitOf('EqBand', field)}
      logarithmic={field === 'at_hz'}
      value={one![field] ?? limitOf('EqBand', field).usual!}
      about={about}
      onMove={(value) => onMove(changed({ [field]: value }))}
      onDone={(value) => onDone(changed({ [field]: value }))}
    />
  );
  return (
    <>
      <div className="band-line" role="group" aria-label="Bells and shelves">
        {bands.map((_, index) => (
          <button
            key={index}
            type="button"
            className="plain-act number"
            aria-pressed={index === at}
            aria-label={`Band ${index + 1}`}
            onClick={() => onBand(index)}
          >
            {index + 1}
          </button>
        ))}
        {bands.length < MOST_BANDS && (
          <button
            type="button"
            className="plain-act light"
            onClick={() => {
              onDone({ ...stage, bands: [...bands, { shape: 'bell', at_hz: 2000, by_db: 0, octaves: 1 }] });
              onBand(bands.length);
            }}
          >
            one more
          </button>
        )}
        {one && (
          <button
            type="button"
            className="plain-act light"
            onClick={() => onDone({ ...stage, bands: bands.filter((_, index) => index !== at) })}
          >
            take it out
          </button>
        )}
      </div>
      {one && (
        <>
          <Form.Select
            size="sm"
            aria-label="Shape"
            value={one.shape}
            onChange={(event) => onDone(changed({ shape: event.target.value as Band['shape'] }))}
          >
            {SHAPES.map((shape) => (
              <option key={shape}>{shape}</option>
            ))}
          </Form.Select>
          {setting('at_hz', one.shape === 'bell' ? 'Bell at' : 'Shelf at', 'drag its point on the spectrum')}
          {setting('by_db', 'By', '0 leaves it as it is')}
          {one.shape === 'bell' &&
            setting('octaves', 'Width', 'narrow takes a ring out, wide changes the tone')}
        </>
      )}
    </>
  );
}
