import { useEffect } from 'react';
import { useWindow } from '../state/window';

/** Say a sentence when the tab goes to the background while there is something to say. */
export function useHidden(text: string | false) {
  useEffect(() => {
    if (!text) return;
    const hidden = () => document.hidden && useWindow.getState().notify(text);
    document.addEventListener('visibilitychange', hidden);
    return () => document.removeEventListener('visibilitychange', hidden);
  }, [text]);
}
