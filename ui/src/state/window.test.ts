import { describe, expect, it, vi } from 'vitest';

vi.stubGlobal('localStorage', { getItem: () => null });
const { useWindow, zoomAbout, zoomView } = await import('./window');

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

describe('a notice', () => {
  it('is not said twice while it stands, and the last three stand', () => {
    const { notify, dismiss } = useWindow.getState();
    for (const text of ['one', 'one', 'two', 'three', 'four', 'four']) notify(text);
    expect(useWindow.getState().notices.map((one) => one.text)).toEqual(['two', 'three', 'four']);
    dismiss(useWindow.getState().notices[0]!.id);
    notify('two');
    expect(useWindow.getState().notices.map((one) => one.text)).toEqual(['three', 'four', 'two']);
  });
});
