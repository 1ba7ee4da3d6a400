import { useRef, useState } from 'react';
import { held, limitOf } from '../api/limit';
import type { Schema } from '../api/client';
import type { Band, Stage } from './chain';

const [LEFT, RIGHT, ABOVE, BELOW] = [46, 16, 8, 20];
const [LOWEST_HZ, HIGHEST_HZ] = [20, 20000];
const MARKS: [number, string][] = [
  [50, '50'],
  [100, '100'],
  [200, '200'],
  [500, '500'],
  [1000, '1 k'],
  [2000, '2 k'],
  [5000, '5 k'],
  [10000, '10 kHz'],
];
const CURVE_DB = 18; // up and down of the middle
const SPAN_DB = 66; // of the spectra, under the loudest

/** The spectrum of a part before and after its stages, and the filters' curve with the points of an equaliser. */
export function SpectrumView({
  seen,
  ink,
  stage,
  band,
  width,
  height,
  onBand,
  onMove,
  onDone,
}: {
  seen: Schema['StagesSeen'] | null;
  ink: string;
  stage: Stage | null;
  band: number;
  width: number;
  height: number;
  onBand: (band: number) => void;
  onMove: (stage: Stage) => void;
  onDone: (stage: Stage) => void;
}) {
  const svg = useRef<SVGSVGElement | null>(null);
  const [held_, setHeld] = useState<number | null>(null);
  const inner = { width: width - LEFT - RIGHT, height: height - ABOVE - BELOW };
  const xOf = (hz: number) =>
    LEFT + (Math.log(hz / LOWEST_HZ) / Math.log(HIGHEST_HZ / LOWEST_HZ)) * inner.width;
  const middle = ABOVE + inner.height * 0.42;
  // What goes further than there is room for stays at the edge.
  const yOf = (db: number) =>
    Math.min(Math.max(middle - (db / CURVE_DB) * inner.height * 0.4, ABOVE), ABOVE + inner.height);
  const loudest = seen ? Math.max(...seen.before_db, ...seen.after_db) + 3 : 0;
  const yOfLevel = (db: number) => ABOVE + Math.min(Math.max((loudest - db) / SPAN_DB, 0), 1) * inner.height;
  const line = (values: number[], y: (db: number) => number) =>
    values.map((db, k) => `${k ? 'L' : 'M'}${xOf(seen!.at_hz[k]!).toFixed(1)} ${y(db).toFixed(1)}`).join('');
  const equaliser = stage?.kind === 'equaliser' ? stage : null;
  const bands = equaliser?.bands ?? [];
  const curveAt = (hz: number) => {
    if (!seen) return 0;
    const k = seen.at_hz.findIndex((one) => one >= hz);
    return seen.curve_db[k < 0 ? seen.curve_db.length - 1 : k]!;
  };
  const changed = (index: number, changes: Partial<Band>): Stage => ({
    ...equaliser!,
    bands: bands.map((one, k) => (k === index ? { ...one, ...changes } : one)),
  });
  const at = (event: React.PointerEvent): Partial<Band> => {
    const box = svg.current!.getBoundingClientRect();
    const x = ((event.clientX - box.left) / box.width) * width;
    const y = ((event.clientY - box.top) / box.height) * height;
    const hz = LOWEST_HZ * (HIGHEST_HZ / LOWEST_HZ) ** ((x - LEFT) / inner.width);
    const db = ((middle - y) / (inner.height * 0.4)) * CURVE_DB;
    return {
      at_hz: held(Number(hz.toPrecision(3)), limitOf('EqBand', 'at_hz')),
      by_db: held(Math.round(db * 2) / 2, limitOf('EqBand', 'by_db')),
    };
  };
  const sum = seen
    ? `${seen.before_lkfs.toFixed(1)} LUFS before, ${seen.after_lkfs.toFixed(1)} after`.replaceAll('-', '−')
    : '';
  return (
    <svg
      ref={svg}
      className="spectrum"
      viewBox={`0 0 ${width} ${height}`}
      role="group"
      aria-label={`Spectrum before and after the stages. ${sum}`}
    >
      {MARKS.map(([hz, word]) => (
        <g key={hz} className="mark">
          <line x1={xOf(hz)} x2={xOf(hz)} y1={ABOVE} y2={height - BELOW} />
          <text x={xOf(hz)} y={height - 6} textAnchor="middle">
            {word}
          </text>
        </g>
      ))}
      <line className="zero" x1={LEFT} x2={width - RIGHT} y1={middle} y2={middle} />
      {seen && (
        <>
          <path
            className="before"
            d={`${line(seen.before_db, yOfLevel)}L${width - RIGHT} ${height - BELOW}L${LEFT} ${height - BELOW}Z`}
          />
          <path
            className="after"
            style={{ stroke: `var(--piece-${ink})` }}
            d={line(seen.after_db, yOfLevel)}
          />
          <path className="curve" d={line(seen.curve_db, yOf)} />
        </>
      )}
      {bands.map((one, index) => {
        const [x, y] = [xOf(one.at_hz ?? 500), yOf(curveAt(one.at_hz ?? 500))];
        return (
          <g
            key={index}
            className={`point ${index === band ? 'chosen' : ''}`}
            tabIndex={0}
            role="slider"
            aria-label={`Band ${index + 1}, ${one.shape}, ${Math.round(one.at_hz ?? 500)} Hz`}
            aria-valuemin={limitOf('EqBand', 'by_db').least}
            aria-valuemax={limitOf('EqBand', 'by_db').most}
            aria-valuenow={one.by_db ?? 0}
            aria-valuetext={`${one.by_db ?? 0} dB at ${Math.round(one.at_hz ?? 500)} Hz`}
            onFocus={() => onBand(index)}
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              onBand(index);
              setHeld(index);
            }}
            onPointerMove={(event) => {
              if (held_ === index && event.buttons) onMove(changed(index, at(event)));
            }}
            onPointerUp={(event) => {
              if (held_ === index) onDone(changed(index, at(event)));
              setHeld(null);
            }}
            onKeyDown={(event) => {
              const by = STEPS[event.key];
              if (!by || event.altKey || event.ctrlKey) return;
              event.preventDefault();
              event.stopPropagation();
              onDone(
                changed(index, {
                  at_hz: held(
                    Number(((one.at_hz ?? 500) * by[0]).toPrecision(4)),
                    limitOf('EqBand', 'at_hz'),
                  ),
                  by_db: held((one.by_db ?? 0) + by[1], limitOf('EqBand', 'by_db')),
                }),
              );
            }}
          >
            <circle className="reach" cx={x} cy={y} r={16} />
            <rect x={x - 5} y={y - 5} width={10} height={10} />
            <text x={x + 10} y={y - 8}>
              {`${(one.by_db ?? 0) > 0 ? '+' : ''}${one.by_db ?? 0} dB`.replace('-', '−')}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

const STEPS: Record<string, [number, number]> = {
  ArrowUp: [1, 0.5],
  ArrowDown: [1, -0.5],
  ArrowLeft: [2 ** (-1 / 12), 0],
  ArrowRight: [2 ** (1 / 12), 0],
};
