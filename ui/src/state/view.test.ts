import { describe, expect, it } from 'vitest';
import { fitView, viewOnFirst, viewShowing, zoomAbout, zoomView } from './view';

describe('the keyboard zooms', () => {
  const none = { view: { startS: 10, spanS: 4 }, pointerS: null, selectedS: null, chosenS: [], playheadS: 0 };

  it('to what is pointed at, then to what is chosen, then to the play line, then to the middle', () => {
    const all = { ...none, pointerS: 11, selectedS: 12, chosenS: [13], playheadS: 13.5 };
    expect(zoomAbout(all)).toBe(11);
    expect(zoomAbout({ ...all, pointerS: null })).toBe(12);
    expect(zoomAbout({ ...all, pointerS: null, selectedS: null })).toBe(13);
    expect(zoomAbout({ ...none, playheadS: 13.5 })).toBe(13.5);
    expect(zoomAbout(none)).toBe(12);
  });

  it('only to what is in view', () => {
    expect(zoomAbout({ ...none, pointerS: 9.9, selectedS: 14.1, chosenS: [2, 13], playheadS: 30 })).toBe(13);
  });

  it('so that the moment keeps its place', () => {
    const view = zoomView(none.view, 0.5, 11, 60);
    expect((11 - view.startS) / view.spanS).toBeCloseTo(1 / 4);
  });
});

describe('a view', () => {
  it('stays on the time line, and between one cycle and the whole', () => {
    expect(fitView({ startS: -3, spanS: 4 }, 10)).toEqual({ startS: 0, spanS: 4 });
    expect(fitView({ startS: 9, spanS: 4 }, 10)).toEqual({ startS: 6, spanS: 4 });
    expect(fitView({ startS: 2, spanS: 40 }, 10)).toEqual({ startS: 0, spanS: 10 });
    expect(fitView({ startS: 2, spanS: 0 }, 10).spanS).toBeGreaterThan(0);
  });

  it('moves only when what is to be shown stands outside or at its edge', () => {
    const view = { startS: 10, spanS: 10 };
    expect(viewShowing(view, 15, 60)).toBe(view);
    for (const momentS of [3, 10.1, 19.9, 40]) {
      const moved = viewShowing(view, momentS, 60);
      expect(moved.startS).toBeLessThan(momentS);
      expect(moved.startS + moved.spanS).toBeGreaterThan(momentS);
      expect(moved.spanS).toBe(10);
    }
  });

  it('goes to the first of what is looked for, where none of it is in view', () => {
    const view = { startS: 0, spanS: 10 };
    expect(viewOnFirst(view, [3, 40], 60)).toBe(view);
    expect(viewOnFirst(view, [], 60)).toBe(view);
    expect(viewOnFirst(view, [21, 40], 60)).toEqual({ startS: 20, spanS: 10 });
    expect(viewOnFirst({ startS: 30, spanS: 10 }, [0.2, 59], 60)).toEqual({ startS: 0, spanS: 10 });
  });
});
