import { describe, expect, it } from 'vitest';
import type { Instrument, Layer, Schema } from '../api/client';
import { isUsed, keyOf, ordered } from './soundList';

const sound = (name: string, piece: string, audio: string): Instrument => ({
  name,
  piece,
  silenced_by: [],
  words: [],
  samples: [{ audio, name } as Instrument['samples'][number]],
});
const library = {
  kits: {
    workshop: {
      name: 'Workshop kit',
      instruments: { k: sound('Bench kick', 'kick', 'a'), s: sound('Rim', 'snare', 'b') },
      favourites: [],
    },
    paper: {
      name: 'Paper kit',
      instruments: { s: sound('Rim', 'snare', 'c'), t: sound('Tall', 'snare', 'd') },
      favourites: ['t'],
    },
  },
} as unknown as Schema['Library'];
const order = (searched: string, suits: Schema['Suits'][] | null = null) =>
  ordered(library, 'snare', searched, new Map(), suits).map(keyOf);

describe('the list of sounds', () => {
  it('begins with the piece, what is liked first, and goes kit by kit', () => {
    expect(order('')).toEqual(['paper/t', 'workshop/s', 'paper/s', 'workshop/k']);
  });

  it('finds every word in name, kit or piece', () => {
    expect(order('paper rim')).toEqual(['paper/s']);
    expect(order('RIM')).toEqual(['workshop/s', 'paper/s']);
    expect(order('lantern')).toEqual([]);
  });

  it('finds a name with letters of any language, typed with them or without', () => {
    const kept = { paper: { name: 'K', instruments: { d: sound('Döner', 'else', 'x') } } };
    const found = (word: string) =>
      ordered({ kits: kept } as unknown as Schema['Library'], 'snare', word, new Map(), null).length;
    expect([found('döner'), found('DÖNER'), found('doner'), found('dner')]).toEqual([1, 1, 1, 0]);
  });

  it('shows a sound once that several kits share, and the liked one of them', () => {
    const kit = (liked: string[]) => ({
      name: 'K',
      instruments: { c: sound('Cowbell', 'cowbell', 'z'), o: sound('Cowbell', 'cowbell', 'y') },
      favourites: liked,
    });
    const kits = { one: kit([]), two: kit(['c']) } as unknown as Schema['Library']['kits'];
    const found = ordered({ kits } as Schema['Library'], 'snare', '', new Map(), null).map(keyOf);
    expect(found.sort()).toEqual(['one/o', 'two/c']);
  });

  it('stands as it suits the part, with what is not known of last', () => {
    const suits = [
      { kit_id: 'paper', instrument_id: 's', said: 'brighter' },
      { kit_id: 'workshop', instrument_id: 'k', said: 'darker' },
    ] as Schema['Suits'][];
    expect(order('', suits).slice(0, 2)).toEqual(['paper/s', 'workshop/k']);
    expect(ordered(library, 'snare', '', new Map(), suits)[0]!.said).toBe('brighter');
  });

  it('knows which of two that are called alike a layer plays', () => {
    const layers = { l: { instrument: sound('Rim', 'snare', 'c') } as Layer };
    const used = ordered(library, 'snare', '', new Map(), null).filter((one) => isUsed(one, layers));
    expect(used.map(keyOf)).toEqual(['paper/s']);
  });
});
