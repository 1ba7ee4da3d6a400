import { useRef, useState } from 'react';
import { limitOf, held } from '../api/limit';
import { useMeters } from '../layer/useMeters';
import { orderedParts, type BenchProps } from '../shell/bench';
import { useWindow } from '../state/window';
import { placed } from './labels';
import { orderedBuses } from './target';

type Side = 'recording' | 'layers' | 'bus';

interface Stand {
  /** Of a bus its own. */
  partId: string;
  side: Side;
  name: string;
  ink: string;
  cross: boolean;
  db: number;
  pan: number;
  on: boolean;
}

const TOP_DB = 12;
const LOWEST_DB = -30;
const LINES_DB = [12, 6, 0, -6, -12, -18, -24, -30];
const [LEFT, RIGHT, ABOVE, BELOW] = [46, 16, 12, 20];
const PAN_STEP = 0.05;

/** Where everything stands: left to right its place, up and down its level. Dragged, or moved by arrow keys. */
export function PlaceField(
  props: BenchProps & {
    width: number;
    height: number;
    busId: string | null;
    onPart: () => void;
    onBus: (busId: string) => void;
  },
) {
  const { doing, document, revision, overview, pieces, partId, lengthS, width, height } = props;
  const { busId, onPart, onBus } = props;
  const set = useWindow((state) => state.set);
  const reading = useMeters(doing.id, revision, document.rate_hz ?? 44100, lengthS);
  const svg = useRef<SVGSVGElement | null>(null);
  const [moving, setMoving] = useState<Stand | null>(null);
  const inner = { width: width - LEFT - RIGHT, height: height - ABOVE - BELOW };
  const xOf = (pan: number) => LEFT + ((pan + 1) / 2) * inner.width;
  const yOf = (db: number) =>
    ABOVE + ((TOP_DB - Math.min(Math.max(db, LOWEST_DB), TOP_DB)) / (TOP_DB - LOWEST_DB)) * inner.height;
  const ofParts = orderedParts(document).flatMap(([id, part]): Stand[] => {
    const piece = pieces.get(part.piece);
    const name = overview?.parts.find((one) => one.part_id === id)?.name ?? piece?.name ?? '';
    const blend = part.blend ?? {};
    const sides: ['recording' | 'layers', boolean][] = [
      ['recording', part.sources.length > 0],
      ['layers', Object.keys(part.layers ?? {}).length > 0],
    ];
    return sides
      .filter(([, there]) => there)
      .map(([side]) => ({
        partId: id,
        side,
        name: side === 'layers' ? `${name}, layers` : name,
        ink: piece?.ink ?? 'ink',
        cross: piece?.head === 'cross',
        db: blend[`${side}_db`] ?? 0,
        pan: blend[`${side}_pan`] ?? 0,
        on: blend[`${side}_on`] ?? true,
      }));
  });
  const ofBuses = orderedBuses(document).map(([id, bus]): Stand => ({
    partId: id,
    side: 'bus',
    name: bus.name,
    ink: 'ink',
    cross: false,
    db: bus.level_db ?? 0,
    pan: bus.pan ?? 0,
    on: bus.on ?? true,
  }));
  const stands = [...ofParts, ...ofBuses];
  const dbLimit = (one: Stand) =>
    one.side === 'bus' ? limitOf('PartsBus', 'level_db') : limitOf('Blend', `${one.side}_db`);
  const choose = (one: Stand) => {
    if (one.side === 'bus') return onBus(one.partId);
    set({ partId: one.partId });
    onPart();
  };
  const isChosen = (one: Stand) => (busId ? one.partId === busId : one.partId === partId);
  const put = (one: Stand, db: number, pan: number): Stand => ({
    ...one,
    db: held(Math.round(db * 2) / 2, dbLimit(one)),
    pan: Math.abs(pan) < 0.04 ? 0 : held(Math.round(pan / PAN_STEP) * PAN_STEP, limitOf('PartsBus', 'pan')),
  });
  const keep = async (one: Stand) => {
    if (one.side === 'bus')
      await doing.act({
        kind: 'set_bus',
        bus_id: one.partId,
        changes: { level_db: one.db, pan: one.pan },
      });
    else
      await doing.act({
        kind: 'set_blend',
        part_id: one.partId,
        changes: { [`${one.side}_db`]: one.db, [`${one.side}_pan`]: one.pan },
      });
    setMoving(null);
  };
  const at = (event: React.PointerEvent): [number, number] => {
    const box = svg.current!.getBoundingClientRect();
    const x = ((event.clientX - box.left) / box.width) * width;
    const y = ((event.clientY - box.top) / box.height) * height;
    return [TOP_DB - ((y - ABOVE) / inner.height) * (TOP_DB - LOWEST_DB), ((x - LEFT) / inner.width) * 2 - 1];
  };
  const same = (one: Stand) => moving?.partId === one.partId && moving.side === one.side;
  const shown = stands.map((one) => (same(one) ? moving! : one));
  const labels = placed(
    shown.map((one) => ({ x: xOf(one.pan), y: yOf(one.db), text: one.name })),
    width - RIGHT,
  );
  return (
    <svg
      ref={svg}
      className="place-field"
      viewBox={`0 0 ${width} ${height}`}
      role="group"
      aria-label="Where everything stands: place from left to right, level up and down"
    >
      {LINES_DB.map((db) => (
        <g key={db} className={db === 0 ? 'line zero' : 'line'}>
          <line x1={LEFT} x2={width - RIGHT} y1={yOf(db)} y2={yOf(db)} />
          <text x={LEFT - 8} y={yOf(db)} textAnchor="end" dominantBaseline="central">
            {`${db > 0 ? '+' : ''}${db}`.replace('-', '−')}
          </text>
        </g>
      ))}
      <line className="middle" x1={xOf(0)} x2={xOf(0)} y1={ABOVE} y2={height - BELOW} />
      {(['left', 'middle', 'right'] as const).map((word, k) => (
        <text
          key={word}
          className="where"
          x={[LEFT, xOf(0), width - RIGHT][k]}
          y={height - 6}
          textAnchor={(['start', 'middle', 'end'] as const)[k]}
        >
          {word}
        </text>
      ))}
      {shown.map((one, index) => {
        const [x, y] = [xOf(one.pan), yOf(one.db)];
        const loud = one.side === 'bus' ? undefined : reading?.parts.get(one.partId)?.[one.side].peakDb;
        return (
          <g
            key={`${one.partId}-${one.side}`}
            className={`stand ${one.side} ${one.on ? '' : 'off'} ${isChosen(one) ? 'chosen' : ''}`}
            style={{ color: one.side === 'bus' ? 'var(--ink)' : `var(--piece-${one.ink})` }}
            tabIndex={0}
            role="slider"
            aria-label={one.name}
            aria-orientation="vertical"
            aria-valuemin={dbLimit(one).least}
            aria-valuemax={dbLimit(one).most}
            aria-valuenow={one.db}
            aria-valuetext={`${decibelsSaid(one.db)}, ${placeSaid(one.pan)}${one.on ? '' : ', muted'}`}
            onFocus={() => choose(one)}
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              choose(one);
              setMoving(one);
            }}
            onPointerMove={(event) => {
              if (moving && same(one) && event.buttons) setMoving(put(one, ...at(event)));
            }}
            onPointerUp={() => {
              const before = stands[index]!;
              if (moving && same(one) && (moving.db !== before.db || moving.pan !== before.pan))
                void keep(moving);
              else setMoving(null);
            }}
            onDoubleClick={() => void keep({ ...one, db: 0, pan: 0 })}
            onKeyDown={(event) => {
              const by = ARROWS[event.key];
              if (!by || event.altKey || event.ctrlKey) return;
              event.preventDefault();
              event.stopPropagation();
              void keep(put(one, one.db + by[0], one.pan + by[1]));
            }}
          >
            {loud !== undefined && loud > LOWEST_DB && (
              <line
                className="loud"
                x1={x}
                x2={x}
                y1={y}
                y2={Math.max(yOf(one.db) + (yOf(loud) - yOf(0)), y)}
              />
            )}
            {isChosen(one) && <rect className="frame" x={x - 15} y={y - 12} width={30} height={24} rx={4} />}
            <Head shape={shapeOf(one)} x={x} y={y} size={1} />
            {labels[index]!.leads && (
              <line
                className="leads"
                x1={x + (labels[index]!.anchor === 'start' ? 7 : -7)}
                x2={labels[index]!.x + (labels[index]!.anchor === 'start' ? -3 : 3)}
                y1={y}
                y2={labels[index]!.y - 4}
              />
            )}
            {/* Where heads lie on each other, each stands small before its name as well. */}
            {labels[index]!.apart && (
              <Head
                shape={shapeOf(one)}
                x={labels[index]!.x + (labels[index]!.anchor === 'start' ? 4 : -4)}
                y={labels[index]!.y - 4}
                size={0.6}
              />
            )}
            <text
              className="name"
              x={
                labels[index]!.x + (labels[index]!.apart ? (labels[index]!.anchor === 'start' ? 14 : -14) : 0)
              }
              y={labels[index]!.y}
              textAnchor={labels[index]!.anchor}
            >
              {one.name}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

const shapeOf = (one: Stand) => (one.side === 'bus' ? 'square' : one.cross ? 'cross' : 'oval');

/** A note head, an oval or a cross, or a bus's square, in the ink of what holds it. */
function Head({ shape, x, y, size }: { shape: string; x: number; y: number; size: number }) {
  const arm = 6 * size;
  if (shape === 'square')
    return <rect className="return" x={x - arm} y={y - arm} width={2 * arm} height={2 * arm} />;
  return shape === 'cross' ? (
    <path
      className="cross"
      d={`M${x - arm} ${y - arm}L${x + arm} ${y + arm}M${x - arm} ${y + arm}L${x + arm} ${y - arm}`}
    />
  ) : (
    <ellipse cx={x} cy={y} rx={8.5 * size} ry={6 * size} transform={`rotate(-18 ${x} ${y})`} />
  );
}

const ARROWS: Record<string, [number, number]> = {
  ArrowUp: [0.5, 0],
  ArrowDown: [-0.5, 0],
  ArrowLeft: [0, -PAN_STEP],
  ArrowRight: [0, PAN_STEP],
};

const decibelsSaid = (db: number) => `${db.toFixed(1).replace('-', '−')} dB`;
const placeSaid = (pan: number) =>
  pan === 0 ? 'middle' : `${Math.abs(Math.round(pan * 100))} ${pan < 0 ? 'left' : 'right'}`;
