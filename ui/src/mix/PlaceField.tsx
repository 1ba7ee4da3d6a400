import { useRef, useState } from 'react';
import { limitOf, held } from '../api/limit';
import { useMeters } from '../layer/useMeters';
import { orderedParts, type BenchProps } from '../shell/bench';
import { useWindow } from '../state/window';

type Side = 'recording' | 'layers';

interface Stand {
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
export function PlaceField(props: BenchProps & { width: number; height: number }) {
  const { doing, document, revision, overview, pieces, partId, lengthS, width, height } = props;
  const set = useWindow((state) => state.set);
  const reading = useMeters(doing.id, revision, document.rate_hz ?? 44100, lengthS);
  const svg = useRef<SVGSVGElement | null>(null);
  const [moving, setMoving] = useState<Stand | null>(null);
  const inner = { width: width - LEFT - RIGHT, height: height - ABOVE - BELOW };
  const xOf = (pan: number) => LEFT + ((pan + 1) / 2) * inner.width;
  const yOf = (db: number) =>
    ABOVE + ((TOP_DB - Math.min(Math.max(db, LOWEST_DB), TOP_DB)) / (TOP_DB - LOWEST_DB)) * inner.height;
  const stands = orderedParts(document).flatMap(([id, part]): Stand[] => {
    const piece = pieces.get(part.piece);
    const name = overview?.parts.find((one) => one.part_id === id)?.name ?? piece?.name ?? '';
    const blend = part.blend ?? {};
    const sides: [Side, boolean][] = [
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
  const put = (one: Stand, db: number, pan: number): Stand => ({
    ...one,
    db: held(Math.round(db * 2) / 2, limitOf('Blend', `${one.side}_db`)),
    pan:
      Math.abs(pan) < 0.04
        ? 0
        : held(Math.round(pan / PAN_STEP) * PAN_STEP, limitOf('Blend', `${one.side}_pan`)),
  });
  const keep = async (one: Stand) => {
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
        const loud = reading?.parts.get(one.partId)?.[one.side].peakDb;
        return (
          <g
            key={`${one.partId}-${one.side}`}
            className={`stand ${one.side} ${one.on ? '' : 'off'} ${one.partId === partId ? 'chosen' : ''}`}
            style={{ color: `var(--piece-${one.ink})` }}
            tabIndex={0}
            role="slider"
            aria-label={one.name}
            aria-orientation="vertical"
            aria-valuemin={limitOf('Blend', `${one.side}_db`).least}
            aria-valuemax={limitOf('Blend', `${one.side}_db`).most}
            aria-valuenow={one.db}
            aria-valuetext={`${decibelsSaid(one.db)}, ${placeSaid(one.pan)}${one.on ? '' : ', muted'}`}
            onFocus={() => set({ partId: one.partId })}
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              set({ partId: one.partId });
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
            {one.partId === partId && (
              <rect className="frame" x={x - 15} y={y - 12} width={30} height={24} rx={4} />
            )}
            {one.cross ? (
              <path
                className="cross"
                d={`M${x - 6} ${y - 6}L${x + 6} ${y + 6}M${x - 6} ${y + 6}L${x + 6} ${y - 6}`}
              />
            ) : (
              <ellipse cx={x} cy={y} rx={8.5} ry={6} transform={`rotate(-18 ${x} ${y})`} />
            )}
            <text
              className="name"
              x={labels[index]!.x}
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

const ARROWS: Record<string, [number, number]> = {
  ArrowUp: [0.5, 0],
  ArrowDown: [-0.5, 0],
  ArrowLeft: [0, -PAN_STEP],
  ArrowRight: [0, PAN_STEP],
};

const decibelsSaid = (db: number) => `${db.toFixed(1).replace('-', '−')} dB`;
const placeSaid = (pan: number) =>
  pan === 0 ? 'middle' : `${Math.abs(Math.round(pan * 100))} ${pan < 0 ? 'left' : 'right'}`;

const LABEL_PX = 16;
const LETTER_PX = 7;

/** Where names stand beside their heads, so that none lies on another: to the right, else lower. */
export function placed(
  heads: readonly { x: number; y: number; text: string }[],
  edge: number,
): { x: number; y: number; anchor: 'start' | 'end' }[] {
  const taken: { left: number; right: number; y: number }[] = [];
  return heads.map(({ x, y, text }) => {
    const long = text.length * LETTER_PX;
    const right = x + 20 + long < edge;
    const left = right ? x + 20 : x - 20 - long;
    let at = y + 4;
    const lies = () =>
      taken.some((one) => Math.abs(one.y - at) < LABEL_PX && one.left < left + long && left < one.right);
    for (let tries = 0; lies() && tries < 24; tries++) at += LABEL_PX / 2;
    taken.push({ left, right: left + long, y: at });
    return { x: right ? left : x - 20, y: at, anchor: right ? 'start' : 'end' };
  });
}
