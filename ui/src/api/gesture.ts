const IDLE_MS = 1500;

let last = { of: '', id: '', at: -Infinity };
let heldSince: number | null = null;

/** Watch whether a button of the mouse is down: a hand that pauses while it drags is still at it. */
export function watchHand(on: EventTarget = window): void {
  on.addEventListener('pointerdown', () => (heldSince = performance.now()), { capture: true });
  for (const end of ['pointerup', 'pointercancel'])
    on.addEventListener(end, () => (heldSince = null), { capture: true });
}

/**
 * The gesture that a change of something belongs to: the same while a key is pressed again and again, or while
 * the mouse is not let go; else a new one.
 */
export function gestureOf(what: string, now = performance.now()): string {
  const holding = heldSince !== null && heldSince <= last.at;
  if (what !== last.of || (now - last.at > IDLE_MS && !holding))
    last = { of: what, id: crypto.randomUUID(), at: now };
  else last.at = now;
  return last.id;
}
