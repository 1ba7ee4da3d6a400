import { renderToStaticMarkup } from 'react-dom/server';
import { expect, test, vi } from 'vitest';
import type { Piece, Source } from '../api/client';
import { Asked } from './Asked';

vi.mock('../sound/player', () => ({ player: { playing: false } }));
vi.mock('../state/window', () => ({ useWindow: { getState: () => ({ notify: vi.fn() }) } }));

const piece = (id: string, key: string) =>
  [id, { id, key, name: id[0]!.toUpperCase() + id.slice(1), head: 'oval', ink: 'kick' }] as unknown as [
    string,
    Piece,
  ];
const pieces = new Map([piece('clap', 'l'), piece('snare', 's'), piece('shaker', 'a')]);
const shown = (guess: object | null) =>
  renderToStaticMarkup(
    <Asked
      sessionId="s"
      partId="p"
      source={{ name: 'take 1.wav', clips: [], guess } as unknown as Source}
      rateHz={44100}
      pieces={pieces}
      onChoose={() => undefined}
    />,
  ).replace(/<[^>]*>/g, ' ');

test('what is sure is not asked about', () => {
  expect(shown(null)).toBe('');
  expect(shown({ piece: 'clap', sure: 0.9, why: '', others: [], asks: false })).toBe('');
});

test('the likeliest are offered with how likely they are, each with its key', () => {
  const said = shown({
    piece: 'clap',
    sure: 0.52,
    why: '',
    others: [
      { piece: 'snare', named: 'snare', sure: 0.3 },
      { piece: 'shaker', named: 'shaker', sure: 0.1 },
    ],
    asks: true,
  }).replace(/\s+/g, ' ');
  expect(said).toContain('clap 52 % Shift L');
  expect(said).toContain('snare 30 % Shift S');
  expect(said).toContain('shaker 10 % Shift A');
});
