// @vitest-environment jsdom
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { LiveSender, type Output } from './live';
import { player } from './player';

const NOTES = {
  time_s: [0.1, 0.3, 0.5, 0.9],
  length_s: [0.1, 0.1, 0.1, 0.1],
  note: [38, 38, 38, 38],
  velocity: [10, 20, 30, 40],
  channel: [10, 10, 10, 10],
};
let sender: LiveSender;
let sent: { velocity: number; dueMs: number }[];
let startMs: number;
let atS: () => number | null;

beforeEach(() => {
  vi.useFakeTimers();
  sent = [];
  startMs = performance.now();
  atS = () => (performance.now() - startMs) / 1000;
  vi.spyOn(player, 'positionS').mockImplementation(() => atS());
  vi.spyOn(player, 'loopEndS').mockReturnValue(null);
  sender = new LiveSender();
  const output: Output = {
    id: 'p',
    name: 'p',
    send: (bytes, dueMs) => {
      if ((bytes[0]! & 0xf0) === 0x90) sent.push({ velocity: bytes[2]!, dueMs: dueMs - startMs });
    },
    close: () => undefined,
  };
  sender.load(NOTES);
  sender.use(output);
});
afterEach(() => {
  sender.use(null);
  vi.useRealTimers();
  vi.restoreAllMocks();
});

it('sends every note once, due when the player reaches it', () => {
  vi.advanceTimersByTime(1200);
  expect(sent.map((one) => one.velocity)).toEqual([10, 20, 30, 40]);
  sent.forEach((one, i) => expect(one.dueMs).toBeCloseTo(NOTES.time_s[i]! * 1000, 3));
});

it('loses none when the page is held up for half a second', () => {
  vi.advanceTimersByTime(40);
  const real = performance.now.bind(performance); // the clock runs on, the timer does not
  vi.spyOn(performance, 'now').mockImplementation(() => real() + 520);
  vi.advanceTimersByTime(900);
  expect(sent.map((one) => one.velocity)).toEqual([10, 20, 30, 40]);
});

it('skips what lies between when the player jumps', () => {
  vi.advanceTimersByTime(40);
  const plain = atS;
  atS = () => plain()! + 0.6;
  vi.advanceTimersByTime(600);
  expect(sent.map((one) => one.velocity)).toEqual([10, 40]);
});

it('sends late what was due when the page is held up until the player has stopped', () => {
  vi.advanceTimersByTime(40);
  const real = performance.now.bind(performance);
  vi.spyOn(performance, 'now').mockImplementation(() => real() + 700);
  atS = () => null;
  vi.advanceTimersByTime(100);
  expect(sent.map((one) => one.velocity)).toEqual([10, 20, 30]);
});

it('sends nothing that comes after a stop', () => {
  vi.advanceTimersByTime(40);
  atS = () => null;
  vi.advanceTimersByTime(1000);
  expect(sent.map((one) => one.velocity)).toEqual([10]);
});
