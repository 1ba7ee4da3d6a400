import { describe, expect, it, vi } from 'vitest';

vi.stubGlobal('localStorage', { getItem: () => null });
const { useWindow } = await import('./window');

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
