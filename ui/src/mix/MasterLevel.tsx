import { useState } from 'react';
import { held, limitOf } from '../api/limit';
import type { BenchProps } from '../shell/bench';

const LIMIT = limitOf('Document', 'master_db');

/** How loud everything is that is heard and printed: a number to type into, up and down by half a decibel. */
export function MasterLevel({ doing, document }: Pick<BenchProps, 'doing' | 'document'>) {
  const [typed, setTyped] = useState<string | null>(null);
  const masterDb = document.master_db ?? 0;
  const done = (master_db: number) => {
    setTyped(null);
    if (master_db !== masterDb) void doing.act({ kind: 'set_master', master_db });
  };
  const take = () => {
    const number = Number((typed ?? '').replace('−', '-').replace(',', '.'));
    if (typed?.trim() && Number.isFinite(number)) done(held(number, LIMIT));
    else setTyped(null);
  };
  return (
    <label className="master-level">
      Master
      <b className="setting-number">
        <input
          aria-label="Master in dB"
          title="All that is heard and printed; recordings as they came stay as they are"
          value={typed ?? masterDb.toFixed(1).replace('-', '−')}
          onFocus={(event) => event.target.select()}
          onChange={(event) => setTyped(event.target.value)}
          onBlur={take}
          onKeyDown={(event) => {
            if (event.key === 'Enter') event.currentTarget.blur();
            if (event.key === 'Escape') setTyped(null);
            const by = { ArrowUp: LIMIT.step, ArrowDown: -LIMIT.step }[event.key];
            if (by === undefined) return;
            event.preventDefault();
            event.stopPropagation();
            done(held(masterDb + by, LIMIT));
          }}
        />{' '}
        dB
      </b>
    </label>
  );
}
