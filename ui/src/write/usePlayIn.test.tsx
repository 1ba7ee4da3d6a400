// @vitest-environment jsdom
import { act } from 'react';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { Piece } from '../api/client';
import { show } from '../api/hook.fixture';
import { player } from '../sound/player';
import { useWindow } from '../state/window';
import { usePlayIn, type Stroke } from './usePlayIn';

const pieces = new Map(
  [
    { id: 'kick', key: 'k', noted: true },
    { id: 'snare', key: 's', noted: true },
    { id: 'room', key: 'y', noted: false },
  ].map((piece) => [piece.id, piece as Piece]),
);
const heard: Stroke[] = [];
const kept: Stroke[][] = [];

function Playing() {
  const { on, strokes, start, stop } = usePlayIn(
    pieces,
    (piece) => (piece === 'kick' ? 'part-kick' : null),
    (note) => (note === 38 ? { piece: 'snare', partId: null } : null),
    (stroke) => heard.push(stroke),
    (strokes) => kept.push(strokes),
  );
  return (
    <button onClick={on ? stop : start}>
      {on ? 'stop' : 'start'} {strokes.length}
    </button>
  );
}

const press = (key: string, more: KeyboardEventInit = {}) =>
  act(() => void window.dispatchEvent(new KeyboardEvent('keydown', { key, ...more })));
const settled = () => act(() => Promise.resolve());
let at: number | null = 4;
let pad: EventTarget;

beforeEach(() => {
  heard.length = kept.length = 0;
  at = 4;
  pad = new EventTarget();
  vi.spyOn(player, 'positionS').mockImplementation(() => at);
  Object.assign(navigator, { requestMIDIAccess: async () => ({ inputs: new Map([['pad', pad]]) }) });
});
afterEach(() => {
  vi.restoreAllMocks();
  useWindow.setState({ notices: [] });
});

describe('playing in', () => {
  it('keeps what the letters play where the sound is, each once however long it is held', async () => {
    const { page, away } = show(<Playing />);
    const button = page.querySelector('button')!;
    press('k');
    expect(heard).toEqual([]);
    act(() => button.click());
    await settled();
    press('k');
    at = 4.5;
    press('S', { shiftKey: true });
    press('s', { repeat: true });
    press('y');
    expect(button.textContent).toBe('stop 2');
    act(() => button.click());
    expect(kept).toEqual([
      [
        { piece: 'kick', partId: 'part-kick', velocity: 100, note: null, timeS: 4 },
        { piece: 'snare', partId: null, velocity: 100, note: null, timeS: 4.5 },
      ],
    ]);
    away();
  });

  it('takes a pad as hard as it is struck, and nothing else it sends', async () => {
    const { page, away } = show(<Playing />);
    const button = page.querySelector('button')!;
    act(() => button.click());
    await settled();
    const send = (...data: number[]) =>
      act(() => void pad.dispatchEvent(Object.assign(new Event('midimessage'), { data })));
    send(0x99, 38, 61);
    send(0x89, 38, 0);
    send(0x99, 38, 0);
    send(0xb9, 4, 90);
    send(0x99, 99, 90);
    act(() => button.click());
    expect(kept[0]).toEqual([{ piece: 'snare', partId: null, velocity: 61, note: 38, timeS: 4 }]);
    send(0x99, 38, 61);
    expect(heard).toHaveLength(1);
    away();
  });

  it('only sounds while nothing plays, and says so where nothing was played in', async () => {
    at = null;
    const { page, away } = show(<Playing />);
    const button = page.querySelector('button')!;
    act(() => button.click());
    await settled();
    press('k');
    expect(heard).toHaveLength(1);
    act(() => button.click());
    expect(kept).toEqual([]);
    expect(useWindow.getState().notices.at(-1)?.text).toContain('Nothing was played in');
    away();
  });
});
