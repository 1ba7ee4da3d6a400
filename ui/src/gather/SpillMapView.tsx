import { useSpillMap } from '../api/session';
import { orderedParts, type BenchProps } from '../shell/bench';
import { PieceMark } from '../shell/PieceMark';
import { decibels } from '../stage/axes';

const LOUDEST_DB = -3;
const SOFTEST_DB = -45;

/** Which pieces leak into which microphones: how much quieter than at home, and how much later. */
export function SpillMapView({ doing, document, revision, overview, pieces }: BenchProps) {
  const spill = useSpillMap(doing.id, revision, true);
  const parts = orderedParts(document).filter(([id]) => spill.data?.parts.includes(id));
  const name = (id: string) => overview?.parts.find((one) => one.part_id === id)?.name ?? '';
  if (!spill.data || parts.length < 2) {
    return (
      <div className="empty">
        <h2>No spill to show yet</h2>
        <p>
          With two or more microphones of one kit, this page shows which piece is heard in which microphone,
          how loud and how late.
        </p>
      </div>
    );
  }
  const leaks = new Map(spill.data.leaks.map((leak) => [`${leak.from_part} ${leak.to_part}`, leak]));
  return (
    <table className="spill-map" data-testid="spill-map">
      <caption>
        Read along a row: what else a microphone hears, against how loud that is at home, and how much later.
        A dash is too quiet to tell, or never heard alone; level only: it lies under other sounds, so nobody
        can say when it came.
      </caption>
      <thead>
        <tr>
          <th scope="col">microphone</th>
          {parts.map(([id, part]) => (
            <th scope="col" key={id}>
              {pieces.get(part.piece) && <PieceMark piece={pieces.get(part.piece)!} />} {name(id)}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {parts.map(([to, target]) => (
          <tr key={to}>
            <th scope="row">
              {pieces.get(target.piece) && <PieceMark piece={pieces.get(target.piece)!} />} {name(to)}
            </th>
            {parts.map(([from, origin]) => {
              const leak = leaks.get(`${from} ${to}`);
              if (from === to)
                return (
                  <td key={from} className="home-cell">
                    own
                  </td>
                );
              if (!leak)
                return (
                  <td key={from} className="quiet">
                    –
                  </td>
                );
              const share = Math.min(
                Math.max((leak.level_db - SOFTEST_DB) / (LOUDEST_DB - SOFTEST_DB), 0.06),
                1,
              );
              return (
                <td key={from} title={`learnt from ${leak.strokes} strokes`}>
                  <span
                    className="leak-dot"
                    style={{
                      width: `${8 + 26 * share}px`,
                      height: `${8 + 26 * share}px`,
                      background: `var(--piece-${pieces.get(origin.piece)?.ink ?? 'loop'})`,
                    }}
                  />
                  <b className="number">{decibels(leak.level_db, 0)} dB</b>
                  <span className="number">
                    {leak.delay_ms === null
                      ? 'level only'
                      : `${leak.delay_ms >= 0 ? '+' : ''}${decibels(leak.delay_ms, 1)} ms`}
                  </span>
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
