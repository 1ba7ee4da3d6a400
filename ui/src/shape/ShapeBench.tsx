import { useState } from 'react';
import { useLocation } from 'react-router';
import type { BenchProps } from '../shell/bench';
import { CutView } from '../cut/CutView';
import { WriteView } from '../write/WriteView';
import { NoteSides } from './NoteSides';
import type { Side } from './SideTabs';

/** Shape: how hard, how tight, which note; bars written as a drummer reads them; and sources cut. */
export function ShapeBench(props: BenchProps) {
  // A session without a recording begins with an empty bar.
  const asked = (useLocation().state as { side?: Side } | null)?.side;
  const [side, setSide] = useState<Side>(
    () => asked ?? (Object.keys(props.document.parts ?? {}).length ? 'hard' : 'write'),
  );
  if (side === 'cut') return <CutView {...props} onSide={setSide} />;
  return side === 'write' ? (
    <WriteView {...props} onSide={setSide} />
  ) : (
    <NoteSides {...props} side={side} onSide={setSide} />
  );
}
