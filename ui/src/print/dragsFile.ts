import type { DragEvent } from 'react';

/** What lets a link be dragged out of the page as the file it leads to. */
export const dragsFile = (name: string) => (event: DragEvent<HTMLAnchorElement>) => {
  const address = event.currentTarget.href;
  event.dataTransfer.effectAllowed = 'copy';
  event.dataTransfer.setData('DownloadURL', `audio/midi:${name.replace(/[\\/:]/g, '-')}:${address}`);
  event.dataTransfer.setData('text/uri-list', address);
};
