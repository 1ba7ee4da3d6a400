import type { Schema } from '../api/client';

const [LEFT, RIGHT, ABOVE, BELOW] = [8, 8, 6, 18];

/** The loudest stroke in view before its stages and after, laid over each other. */
export function StrokeView({
  stroke,
  ink,
  width,
  height,
}: {
  stroke: NonNullable<Schema['StagesSeen']['stroke']>;
  ink: string;
  width: number;
  height: number;
}) {
  const inner = { width: width - LEFT - RIGHT, height: height - ABOVE - BELOW };
  const most = Math.max(
    1e-4,
    ...[stroke.before_low, stroke.before_high, stroke.after_low, stroke.after_high].flat().map(Math.abs),
  );
  const x = (k: number) => LEFT + (k / (stroke.before_low.length - 1)) * inner.width;
  const y = (value: number) => ABOVE + (1 - value / most) * (inner.height / 2);
  const area = (low: number[], high: number[]) =>
    `M${high.map((value, k) => `${x(k).toFixed(1)} ${y(value).toFixed(1)}`).join('L')}L${[...low]
      .map((value, k) => `${x(k).toFixed(1)} ${y(value).toFixed(1)}`)
      .reverse()
      .join('L')}Z`;
  const lengthS = stroke.end_s - stroke.start_s;
  const marks = [0, 20, 40, 60, 80, 100].filter((ms) => stroke.at_s - stroke.start_s + ms / 1000 < lengthS);
  const peak = (high: number[], low: number[]) => Math.max(...high, ...low.map((one) => -one));
  const by =
    20 *
    Math.log10(
      Math.max(peak(stroke.after_high, stroke.after_low), 1e-6) /
        Math.max(peak(stroke.before_high, stroke.before_low), 1e-6),
    );
  const moved = `${by >= 0 ? 'up' : 'down'} by ${Math.abs(by).toFixed(1)} dB`;
  return (
    <svg
      className="stroke-view"
      viewBox={`0 0 ${width} ${height}`}
      role="img"
      aria-label={`The loudest stroke in view, before and after: its peak ${moved}`}
    >
      {marks.map((ms) => {
        const at = LEFT + ((stroke.at_s - stroke.start_s + ms / 1000) / lengthS) * inner.width;
        return (
          <g key={ms} className="mark">
            <line x1={at} x2={at} y1={ABOVE} y2={height - BELOW} />
            <text x={at} y={height - 5} textAnchor="middle">
              {ms === 100 ? '100 ms' : ms}
            </text>
          </g>
        );
      })}
      <path className="before" d={area(stroke.before_low, stroke.before_high)} />
      <path
        className="after"
        style={{ color: `var(--piece-${ink})` }}
        d={area(stroke.after_low, stroke.after_high)}
      />
    </svg>
  );
}
