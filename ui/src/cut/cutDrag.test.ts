import { describe, expect, it } from 'vitest';
import { dragCut, fadesOf, heldAt, type Drag, type Effect, type Scene, type SliceLine } from './cutDrag';

const line = (start_s: number, end_s: number, fades: Partial<SliceLine> = {}): SliceLine => ({
  start_s,
  attack_s: start_s + 0.001,
  end_s,
  found_s: start_s,
  struck: 'snare',
  piece: 'snare',
  fade_in_ms: 0,
  fade_out_ms: null,
  by_hand: false,
  ...fades,
});
// A second is a hundred pixels.
const scene: Scene = {
  lines: [line(0, 1), line(1, 2, { fade_in_ms: 100, fade_out_ms: 200 }), line(2, 4)],
  chosen: 1,
  view: { startS: 0, spanS: 4 },
  box: { left: 0, top: 20, width: 400, height: 100 },
};
const at = (kind: 'down' | 'move' | 'up' | 'cancel', x: number, y = 80, alt = false) => ({ kind, x, y, alt });

/** What a drag does, one pointer after the other. */
function dragged(...inputs: ReturnType<typeof at>[]): Effect[] {
  let state: Drag | null = null;
  const all: Effect[] = [];
  for (const input of inputs) {
    const [next, effects] = dragCut(state, input, scene);
    state = next;
    all.push(...effects);
  }
  expect(state).toBeNull();
  return all;
}

describe('the cuts of a waveform', () => {
  it('are taken hold of at edges, fades and slices', () => {
    expect(heldAt(scene, 104, 80)).toEqual({ kind: 'edge', index: 1 });
    expect(heldAt(scene, 150, 80)).toEqual({ kind: 'slice', index: 1 });
    expect(heldAt(scene, 110, 30)).toEqual({ kind: 'fadeIn', index: 1 });
    expect(heldAt(scene, 180, 30)).toEqual({ kind: 'fadeOut', index: 1 });
    // Only the chosen slice shows handles, and the first edge is the source's own.
    expect(heldAt({ ...scene, chosen: 2 }, 110, 30)).toEqual({ kind: 'slice', index: 1 });
    expect(heldAt(scene, 1, 80)).toEqual({ kind: 'slice', index: 0 });
    expect(heldAt(scene, 405, 80)).toBeNull();
  });

  it('put an edge where it is let go, exactly there with Alt', () => {
    expect(dragged(at('down', 199), at('move', 230), at('up', 230)).at(-1)).toEqual({
      kind: 'put',
      index: 2,
      timeS: 2.3,
      free: false,
    });
    expect(dragged(at('down', 199), at('move', 230, 80, true), at('up', 230)).at(-1)).toMatchObject({
      kind: 'put',
      free: true,
    });
  });

  it('make fades as long as they are dragged, never less than nothing', () => {
    const fade = (from: number, to: number) =>
      dragged(at('down', from, 30), at('move', to, 30), at('up', to, 30)).find((one) => one.kind === 'fade');
    expect(fade(110, 130)).toMatchObject({ which: 'in', index: 1, ms: expect.closeTo(300) as number });
    expect(fade(180, 150)).toMatchObject({ which: 'out', ms: expect.closeTo(500) as number });
    expect(fade(110, 40)).toMatchObject({ which: 'in', ms: 0 });
  });

  it('choose a slice by a click, and leave everything as it was where a drag is given up', () => {
    expect(dragged(at('down', 250), at('up', 250))).toEqual([
      { kind: 'choose', index: 2 },
      { kind: 'line', timeS: 2.5 },
    ]);
    const given = dragged(at('down', 199), at('move', 300), at('cancel', 0));
    expect(given.at(-1)).toEqual({ kind: 'show', drag: null });
    expect(given.some((one) => one.kind === 'put')).toBe(false);
    // A hand that trembles has not dragged.
    expect(dragged(at('down', 199), at('move', 200), at('up', 200)).some((one) => one.kind === 'put')).toBe(
      false,
    );
  });

  it('fade from where they begin to where they end', () => {
    expect(fadesOf(scene.lines, 1)).toEqual({ inS: 1.1, outS: 1.8 });
    expect(fadesOf(scene.lines, 2)).toEqual({ inS: 2, outS: 4 });
  });
});
