import { useLayoutEffect } from 'react';
import { useWindow } from '../state/window';

/** Put the chosen look on the page and remember it. */
export function useNight(): void {
  const night = useWindow((state) => state.night);
  useLayoutEffect(() => {
    document.documentElement.dataset.bsTheme = night ? 'dark' : 'light';
    localStorage.setItem('nubrak-night', night ? 'yes' : 'no');
  }, [night]);
}
