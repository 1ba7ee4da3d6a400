import { renderToStaticMarkup } from 'react-dom/server';
import { expect, test } from 'vitest';
import { Offered, offered, reaching, type Offer } from './Offered';

const nothing = () => undefined;
const offer = (reaches: number[], more: Partial<Offer> = {}): Offer => ({
  strokes: [{ part_id: 'snare', found_s: 1 }],
  to: { also: false, nothing: false, piece: 'clap' },
  said: 'Clap',
  follows: reaches.map((reach, place) => ({
    part_id: 'snare',
    part_name: 'Snare',
    found_s: place,
    time_s: place,
    reach,
  })),
  reach: 2,
  reaches: 5,
  revision: 3,
  ...more,
});
const shown = (of: Offer) =>
  renderToStaticMarkup(<Offered offer={of} onTake={nothing} onHear={nothing} onReach={nothing} />).replace(
    /<[^>]*>/g,
    ' ',
  );

test('it says how many follow, where the first are, and what is taken', () => {
  const said = shown(offer([0, 1, 2, 2, 2]));
  expect(said).toContain('5 more sound like it');
  expect(said).toContain('0:00.00 · 0:01.00 · 0:02.00 · 0:03.00 …');
  expect(said).toContain('clap too');
});

test('fewer and more are offered only where there are fewer or more', () => {
  expect(shown(offer([2, 2]))).not.toContain('less alike');
  const said = shown(offer([0, 2, 4]));
  expect(said).toContain('only 1, most alike');
  expect(said).toContain('3, less alike');
});

test('where nothing is alike enough it says so and still offers what is less alike', () => {
  const said = shown(offer([4]));
  expect(said).toContain('Clap. Nothing else sounds like it.');
  expect(said).toContain('1, less alike');
  expect(said).not.toContain('clap too');
});

test('a wider reach takes more, and back again the same', () => {
  const wider = reaching(offer([0, 2, 4]), 1);
  expect(offered(wider)).toHaveLength(3);
  expect(offered(reaching(wider, -1))).toHaveLength(2);
});

test('several strokes are spoken of as several', () => {
  const both = [1, 2].map((found_s) => ({ part_id: 'snare', found_s }));
  expect(shown(offer([1], { strokes: both }))).toContain('1 more sounds like them');
});
