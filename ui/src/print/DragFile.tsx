import type { ReactNode } from 'react';
import { dragsFile } from './dragsFile';

/** A file to take along: a click downloads it, and it can be dragged out of the page as the file it is. */
export function DragFile({ href, name, children }: { href: string; name: string; children: ReactNode }) {
  return (
    <a
      className="drag-file"
      href={href}
      download
      draggable
      title={`Click to download ${name}, or drag it out of the page`}
      onDragStart={dragsFile(name)}
    >
      <span aria-hidden>⠿</span> {children}
    </a>
  );
}
