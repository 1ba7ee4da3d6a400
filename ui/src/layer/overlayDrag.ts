/** The layer on its way along the time axis: where it was taken hold of, and by how many samples it went. */
export interface OverlayDrag {
  fromX: number;
  bySamples: number;
}

export interface OverlayEvent {
  kind: 'down' | 'move' | 'up' | 'cancel' | 'leave';
  x: number;
}

/** What follows: the layer shown elsewhere, or put there. */
export type OverlayEffect = { kind: 'show'; bySamples: number } | { kind: 'put'; bySamples: number };

/** One step of the layer's drag over the hits; `samplesPerPx`: how far a pixel is at the attack. */
export function dragOverlay(
  drag: OverlayDrag | null,
  { kind, x }: OverlayEvent,
  samplesPerPx: number,
): [OverlayDrag | null, OverlayEffect[]] {
  if (kind === 'down') return [{ fromX: x, bySamples: 0 }, []];
  if (!drag || kind === 'leave') return [drag, []];
  if (kind === 'move') {
    const bySamples = Math.round((x - drag.fromX) * samplesPerPx);
    return [{ ...drag, bySamples }, [{ kind: 'show', bySamples }]];
  }
  const back: OverlayEffect = { kind: 'show', bySamples: 0 };
  return [
    null,
    kind === 'up' && drag.bySamples ? [{ kind: 'put', bySamples: drag.bySamples }, back] : [back],
  ];
}
