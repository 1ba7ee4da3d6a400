import { describe, expect, it } from 'vitest';
import type { Document } from '../api/client';
import { asked, chainOf, keyOf, newBus, orderedBuses, partTarget } from './target';
import { filled } from './RecutSettings';

const document = {
  name: 'T',
  parts: {
    p: {
      piece: 'snare',
      place: 0,
      sources: [],
      chain: [{ kind: 'drive' }],
      layers_chain: [{ kind: 'width' }],
    },
  },
  buses: {
    late: { name: 'Drums', place: 2, chain: [{ kind: 'cuts' }] },
    early: { name: 'Room', kind: 'room', place: 1 },
  },
} as unknown as Document;

describe('whose stages are looked at', () => {
  it('is a part, its layers or a bus, and the server is told of one of them only', () => {
    const part = partTarget('p');
    const layers = { ...part, layers: true };
    const bus = { ...layers, busId: 'late' };
    expect([part, layers, bus].map((one) => chainOf(document, one)[0]!.kind)).toEqual([
      'drive',
      'width',
      'cuts',
    ]);
    expect(asked(layers)).toEqual({ part_id: 'p', layers: true, bus_id: null });
    expect(asked(bus)).toEqual({ part_id: null, layers: false, bus_id: 'late' });
    expect(new Set([part, layers, bus].map(keyOf)).size).toBe(3);
    expect(chainOf(document, partTarget('gone'))).toEqual([]);
  });

  it('lists buses in their order', () => {
    expect(orderedBuses(document).map(([id]) => id)).toEqual(['early', 'late']);
  });
});

describe('a new bus', () => {
  it('has a name that no other has, and its part with the usual amount', () => {
    expect(newBus(document, 'group', ['p'])).toEqual({ name: 'Drums 2', kind: 'group', parts: { p: 0 } });
    expect(newBus(document, 'parallel', ['p'])).toEqual({
      name: 'Beside',
      kind: 'parallel',
      parts: { p: -6 },
    });
    expect(newBus(document, 'room', []).name).toBe('Room 2');
  });
});

describe('steps that are cut again', () => {
  it('go on as played where nothing is said, and over again where more bars are asked for', () => {
    expect(filled([], 3)).toEqual(['as played', 'as played', 'as played']);
    expect(filled(['reverse', 'silent'], 4)).toEqual(['reverse', 'silent', 'reverse', 'silent']);
    expect(filled(['reverse', 'silent'], 1)).toEqual(['reverse']);
  });
});
