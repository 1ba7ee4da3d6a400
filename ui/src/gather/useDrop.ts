import { useEffect, useState } from 'react';

const AUDIO = /\.(wav|wave|bwf|aif|aiff|flac|ogg|mp3|rf64|w64)$/i;
const NOTES: readonly [readonly string[], string][] = [
  [['.mid', '.midi'], 'midi/parts'],
  [['.csv', '.json', '.jams'], 'hits'],
];
/** The endings of files that bring notes in. */
export const NOTE_ENDINGS = NOTES.flatMap(([endings]) => endings).join(',');

/** What is asked to read a file that brings notes in; null where it is a recording. */
export const readsNotes = (name: string): string | null =>
  NOTES.find(([endings]) => endings.some((one) => name.toLowerCase().endsWith(one)))?.[1] ?? null;

export const SAMPLES = /\.(wav|wave|bwf|aif|aiff|flac|ogg|mp3|rf64|w64|sfz|sf2|sf3|zip)$/i;

/** Of the files of a chosen folder the recordings and the notes, in order of name. */
export const ofFolder = (files: File[]): File[] =>
  files
    .filter((file) => AUDIO.test(file.name) || readsNotes(file.name) === 'midi/parts')
    .sort((a, b) => pathOf(a).localeCompare(pathOf(b)));

/** Where a dropped file lay, below the folder that was dropped. */
const paths = new WeakMap<File, string>();
export const pathOf = (file: File): string => paths.get(file) || file.webkitRelativePath || file.name;

/**
 * Files dropped anywhere on the page; of folders what is audio, or what `wanted` names. Returns whether
 * something hangs over it.
 */
export function useDrop(onFiles: (files: File[]) => void, wanted: RegExp = AUDIO): boolean {
  const [over, setOver] = useState(false);
  useEffect(() => {
    const hasFiles = (event: DragEvent) => event.dataTransfer?.types.includes('Files') ?? false;
    const enter = (event: DragEvent) => {
      if (!hasFiles(event)) return;
      event.preventDefault();
      setOver(true);
    };
    const leave = (event: DragEvent) => {
      if (!event.relatedTarget) setOver(false);
    };
    const drop = (event: DragEvent) => {
      if (!hasFiles(event)) return;
      event.preventDefault();
      setOver(false);
      const entries = [...(event.dataTransfer?.items ?? [])].map((item) => item.webkitGetAsEntry?.() ?? null);
      const files = [...(event.dataTransfer?.files ?? [])];
      if (entries.some((entry) => entry?.isDirectory)) void allFiles(entries, wanted).then(onFiles);
      else onFiles(files);
    };
    window.addEventListener('dragenter', enter);
    window.addEventListener('dragover', enter);
    window.addEventListener('dragleave', leave);
    window.addEventListener('drop', drop);
    return () => {
      window.removeEventListener('dragenter', enter);
      window.removeEventListener('dragover', enter);
      window.removeEventListener('dragleave', leave);
      window.removeEventListener('drop', drop);
    };
  }, [onFiles, wanted]);
  return over;
}

/** Every audio file of what was dropped, folders opened, in order of name. */
async function allFiles(entries: (FileSystemEntry | null)[], wanted: RegExp): Promise<File[]> {
  const found: File[] = [];
  const open = async (entry: FileSystemEntry | null, inFolder: boolean): Promise<void> => {
    if (!entry) return;
    if (entry.isFile) {
      const file = await new Promise<File>((done, fail) => (entry as FileSystemFileEntry).file(done, fail));
      // What lies beside recordings in a folder is none of ours; what is dropped by itself is looked at.
      if (!inFolder || wanted.test(file.name)) found.push(file);
      paths.set(file, entry.fullPath.replace(/^\//, ''));
      return;
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader();
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail));
      if (!some.length) return;
      for (const one of some) await open(one, true);
    }
  };
  for (const entry of entries) await open(entry, false);
  return found.sort((a, b) => a.name.localeCompare(b.name));
}
