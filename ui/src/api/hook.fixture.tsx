import { act, type ReactElement } from 'react';
import { createRoot } from 'react-dom/client';

(globalThis as { IS_REACT_ACT_ENVIRONMENT?: boolean }).IS_REACT_ACT_ENVIRONMENT = true;

/** Show an element on a page of its own; gives the page, and how it is shown anew and taken away. */
export function show(element: ReactElement) {
  const page = document.createElement('div');
  document.body.append(page);
  const root = createRoot(page);
  act(() => root.render(element));
  return {
    page,
    again: (next: ReactElement) => act(() => root.render(next)),
    away: () => {
      act(() => root.unmount());
      page.remove();
    },
  };
}
