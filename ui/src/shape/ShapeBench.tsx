import { useState } from 'react';
import type { BenchProps } from '../shell/bench';
import { CutView } from '../cut/CutView';
import { WriteView } from '../write/WriteView';
import { NoteSides } from './NoteSides';
import type { Side } from './SideTabs';

/** Shape: how hard, how tight, which note; bars written as a drummer reads them; and sources cut. */
export function ShapeBench(props: BenchProps) {
  const [asked, setSide] = useState<Side>('hard');
  // A session without a recording begins with an empty bar.
  const side = Object.keys(props.document.parts ?? {}).length ? asked : 'write';
  if (side === 'cut') return <CutView {...props} onSide={setSide} />;
  return side === 'write' ? (
    <WriteView {...props} onSide={setSide} />
  ) : (
    <NoteSides {...props} side={side} onSide={setSide} />
  );
}
