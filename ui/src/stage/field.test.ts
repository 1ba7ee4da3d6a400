import { describe, expect, it } from 'vitest';
import type { Decisions, Piece } from '../api/client';
import { levelToY, timeToX } from './axes';
import { drawField, type Field } from './field';
import type { inks } from './heads';
import { drawLadder } from './ladder';
import { boxesOf } from './layout';
import { Paper } from './paper.fixture';
import { State } from './states';

const look = {
  ink: 'ink',
  soft: 'soft',
  quiet: 'quiet',
  faint: 'faint',
  rule: 'rule',
  shade: 'shade',
  paper: 'paper',
  card: 'card',
  piece: () => 'colour',
} as unknown as ReturnType<typeof inks>;
const boxes = boxesOf(900, 520, 'find');
const decisions = {
  time_s: [1, 2, 3, 9],
  found_s: [1, 2, 3, 9],
  level_db: [-12, -40, -12.4, -12],
  state: [State.Hit, State.Under, State.Kept, State.Hit],
  velocity: [100, 0, 90, 80],
  doubt: [0, 0, 0, 0],
  spill_db: [-200, -200, -200, -200],
  threshold_db: -30,
  line: [
    { time_s: 2, level_db: -24 },
    { time_s: 6, level_db: -36 },
  ],
  worth_a_look: 0.05,
  suggestion: { threshold_db: -26, gap_db: 8 },
} as unknown as Decisions;
const field: Field = {
  boxes,
  view: { startS: 0, spanS: 8 },
  look,
  piece: { head: 'oval', ink: 'snare' } as Piece,
  decisions,
  curve: [
    { time_s: 2, offset_db: 6 },
    { time_s: 6, offset_db: -6 },
  ],
  drawing: false,
  byHandOnly: false,
  span: null,
  selectedS: null,
  chosenS: [],
  suspect: null,
  gapDb: 8,
  moving: null,
};
const xOf = (timeS: number) => timeToX(timeS, field.view, boxes.field.left, boxes.field.width);
const yOf = (levelDb: number) => levelToY(levelDb, boxes.field.top, boxes.field.height);

const drawn = (changes: Partial<Field> = {}) => {
  const paper = new Paper();
  drawField(paper.context, { ...field, ...changes });
  return paper;
};

describe('the hit field', () => {
  it('draws the threshold straight from corner to corner, level at the ends of the view', () => {
    const wanted = [
      [xOf(0), yOf(-24)],
      [xOf(2), yOf(-24)],
      [xOf(6), yOf(-36)],
      [xOf(8), yOf(-36)],
    ];
    const line = drawn().lines.find(({ points, style }) => style === 'ink' && points.length === 4);
    expect(line?.points.flat()).toEqual(wanted.flat().map((place) => expect.closeTo(place, 6) as number));
  });

  it('has a handle on every point that bends it, where that point stands', () => {
    const handles = drawn().boxes.filter(({ width, height }) => width === 8 && height === 8);
    expect(handles.map(({ x, y }) => [x + 4, y + 4])).toEqual([
      [xOf(2), yOf(-24)],
      [xOf(6), yOf(-36)],
    ]);
  });

  it('says the threshold, and while it is bent what a click does', () => {
    expect(drawn().texts.map(({ text }) => text)).toContain('threshold −30.0 dB');
    expect(drawn({ byHandOnly: true }).texts.map(({ text }) => text)).not.toContain('threshold −30.0 dB');
    expect(drawn({ drawing: true }).texts.map(({ text }) => text)).toContain('click to bend the line');
  });

  it('marks what is selected and what is chosen where it stands, and nothing that is out of view', () => {
    const marks = (changes: Partial<Field>) =>
      drawn(changes)
        .boxes.filter(({ width, height }) => width === height && width > 15)
        .map(({ x, width }) => x + width / 2);
    expect(marks({})).toEqual([]);
    expect(marks({ selectedS: 1 })).toEqual([expect.closeTo(xOf(1), 6)]);
    expect(marks({ chosenS: [1, 3] })).toEqual([xOf(1), xOf(3)].map((x) => expect.closeTo(x, 6) as number));
  });

  it('draws the levels even before anything was decided', () => {
    expect(drawn({ decisions: null }).texts.length).toBeGreaterThan(3);
  });
});

describe('the ladder', () => {
  it('counts candidates level by level, hits before the rest, and says how wide the gap is', () => {
    const paper = new Paper();
    drawLadder(paper.context, decisions, 100, 80, yOf, 'colour', 'grey', 'quiet', 8);
    const rows = (style: string) => paper.boxes.filter((box) => box.style === style && box.width > 0);
    expect(rows('colour').map(({ y }) => y)).toEqual([expect.closeTo(yOf(-12) + 0.5, 6)]);
    expect(rows('grey').map(({ y }) => y)).toEqual([expect.closeTo(yOf(-40) + 0.5, 6)]);
    expect(rows('colour')[0]!.width).toBeGreaterThan(rows('grey')[0]!.width);
    expect(paper.texts.map(({ text }) => text)).toEqual(['gap 8 dB']);
  });

  it('speaks of no gap where there is none', () => {
    const paper = new Paper();
    drawLadder(paper.context, decisions, 100, 80, yOf, 'colour', 'grey', 'quiet', 0.4);
    expect(paper.texts).toEqual([]);
  });
});
