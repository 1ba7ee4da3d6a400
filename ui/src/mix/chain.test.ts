import { describe, expect, it } from 'vitest';
import { moved, newStage, saidOf, type Stage } from './chain';
import { placed } from './labels';

describe('a chain', () => {
  const chain = ['cuts', 'equaliser', 'drive'].map((kind) => newStage(kind as never));
  it('has a stage moved among the others, and not beyond them', () => {
    const kinds = (of: Stage[]) => of.map((one) => one.kind);
    expect(kinds(moved(chain, 0, 2))).toEqual(['equaliser', 'drive', 'cuts']);
    expect(kinds(moved(chain, 2, 1))).toEqual(['cuts', 'drive', 'equaliser']);
    expect(kinds(moved(chain, 0, -1))).toEqual(kinds(chain));
    expect(kinds(chain)).toEqual(['cuts', 'equaliser', 'drive']);
  });
  it('says of every stage what it does, in numbers', () => {
    const said = (one: object) => saidOf(one as Stage);
    expect(said({ kind: 'cuts', low_cut_hz: 30, high_cut_hz: 12000 })).toBe('from 30 Hz to 12 kHz');
    expect(said({ kind: 'cuts' })).toBe('nothing cut yet');
    expect(
      said({
        kind: 'equaliser',
        bands: [
          { at_hz: 55, by_db: 3.2 },
          { at_hz: 3600, by_db: -5.5 },
          { at_hz: 900, by_db: 0 },
        ],
      }),
    ).toBe('+3.2 at 55 Hz, −5.5 at 3.6 kHz');
    expect(said({ kind: 'dynamics', ratio: 3, threshold_db: -14, blend_percent: 60 })).toBe(
      '3 : 1 over −14 dB, 60 % blended',
    );
  });
});

describe('names beside their heads', () => {
  it('never lie on each other, and turn to the left at the edge', () => {
    const heads = Array.from({ length: 9 }, (_, k) => ({ x: 400, y: 100, text: `Floor tom ${k}` }));
    const at = placed(heads, 800);
    const sides = (['start', 'end'] as const).map((side) =>
      at
        .filter((one) => one.anchor === side)
        .map((one) => one.y)
        .sort((a, b) => a - b),
    );
    expect(sides.flat().length).toBe(9);
    for (const lines of sides)
      for (let k = 1; k < lines.length; k++) expect(lines[k]! - lines[k - 1]!).toBeGreaterThanOrEqual(16);
    const two = placed(
      [
        { x: 400, y: 100, text: 'Kick' },
        { x: 404, y: 100, text: 'Drums' },
        { x: 402, y: 104, text: 'Theatre' },
      ],
      800,
    );
    // A name that has no room by its head stands off, and a line leads to it.
    expect(two.filter((one) => one.leads).length).toBe(1);
    expect(two.filter((one) => !one.leads).map((one) => one.anchor)).toEqual(['start', 'end']);
    expect(placed([{ x: 780, y: 10, text: 'Overheads' }], 800)[0]).toMatchObject({ x: 760, anchor: 'end' });
  });
});
