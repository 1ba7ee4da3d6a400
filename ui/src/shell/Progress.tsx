/** How far something is, in percent, with what it is. */
export const Progress = ({ now, 'aria-label': label }: { now: number; 'aria-label': string }) => (
  <div
    className="progress"
    role="progressbar"
    aria-label={label}
    aria-valuenow={Math.round(now)}
    aria-valuemin={0}
    aria-valuemax={100}
  >
    <div className="progress-bar" style={{ width: `${now}%` }} />
  </div>
);
