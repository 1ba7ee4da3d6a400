import { client, take, upload, type Instrument, type Schema } from '../api/client';
import { followed, type JobState } from '../api/jobs';
import { pathOf } from '../gather/useDrop';

/** What sample files were taken for, and what was said of those that could not be taken. */
export interface Came {
  instruments: Instrument[];
  said: string[];
  /** The kits that sound fonts brought; they are in the library already. */
  kits: string[];
  /** What a new kit of them is called. */
  name: string;
  /** The files, where they were arranged by their names and can be arranged anew. */
  files: Schema['ArrivedSample'][];
  each: boolean;
}

const AT_ONCE = 2;
const IN_ONE_GO = 20;
const MOST_BYTES = 16e6;

/** Files in groups that are sent in one request each: each request costs as much as a small file. */
export function inGroups(files: File[]): File[][] {
  const groups: File[][] = [];
  let bytes = 0;
  for (const file of files) {
    const last = groups[groups.length - 1];
    if (!last || last.length >= IN_ONE_GO || bytes + file.size > MOST_BYTES) {
      groups.push([file]);
      bytes = file.size;
    } else {
      last.push(file);
      bytes += file.size;
    }
  }
  return groups;
}

/** What a kit of these files is called: the folder that they lay in, else the first of them. */
export function folderOf(files: File[]): string {
  const folders = files.map((file) => pathOf(file).split('/').slice(0, -1)).filter((path) => path.length);
  if (folders.length) return folders[0]![0]!;
  return files[0]?.name.replace(/\.[^.]*$/, '') ?? 'My kit';
}

/** Arrange files that came in anew: by names and levels, or each as a sound of its own. */
export const arranged = async (files: Schema['ArrivedSample'][], each: boolean): Promise<Instrument[]> =>
  (await take(client.POST('/api/samples/arrange', { body: { files, sfz: null, each } }))).instruments;

/** Send sample files, with the SFZ that speaks of them where one is among them, and have them arranged. */
export async function takeSamples(files: File[], onShare: (share: number) => void): Promise<Came> {
  const texts = files.filter((file) => /\.sfz$/i.test(file.name));
  const zips = files.filter((file) => /\.zip$/i.test(file.name));
  const fonts = files.filter((file) => /\.(sf2|sf3)$/i.test(file.name));
  const packed = [...texts, ...zips, ...fonts];
  const sounds = files.filter((file) => !packed.includes(file));
  const said: string[] = [];
  const arrived: Schema['ArrivedSample'][] = [];
  let done = 0;
  const waiting = inGroups(sounds);
  const work = async () => {
    for (let group = waiting.shift(); group; group = waiting.shift()) {
      try {
        const heads = group.map((file) => ({ name: pathOf(file), size: file.size }));
        const found = await upload<Schema['Several']>(
          '/api/samples/several',
          new File([`${JSON.stringify(heads)}\n`, ...group], group[0]!.name),
          () => undefined,
        );
        arrived.push(...found.arrived);
        said.push(...found.refused);
      } catch (error) {
        said.push(error instanceof Error ? error.message : String(error));
      }
      done += group.length;
      onShare(done / sounds.length);
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, work));
  const arrange = (sfz: Schema['SfzText'] | null) =>
    take(client.POST('/api/samples/arrange', { body: { files: arrived, sfz, each: false } }));
  const instruments: Instrument[] = [];
  const kits: string[] = [];
  for (const font of fonts) {
    try {
      // It is sent first and then read: half of the way each.
      const begun = await upload<JobState>('/api/sound-fonts', font, (share) => onShare(share / 2), {
        name: font.name,
      });
      const done = await followed(begun, (now) => onShare(0.5 + now.share / 2));
      kits.push(...Object.values(done.font?.kits ?? {}));
      said.push(...(done.font?.skipped ?? []));
    } catch (error) {
      said.push(`${font.name}: ${error instanceof Error ? error.message : String(error)}`);
    }
  }
  for (const zip of zips) {
    try {
      const found = await upload<Schema['Arranged']>('/api/samples/zip', zip, onShare, { name: zip.name });
      instruments.push(...found.instruments);
      said.push(...found.skipped);
    } catch (error) {
      said.push(error instanceof Error ? error.message : String(error));
    }
  }
  if (!texts.length && arrived.length) instruments.push(...(await arrange(null)).instruments);
  for (const text of texts) {
    try {
      const found = await arrange({ name: pathOf(text), text: await text.text() });
      instruments.push(...found.instruments);
      said.push(...found.skipped);
    } catch (error) {
      said.push(`${text.name}: ${error instanceof Error ? error.message : String(error)}`);
    }
  }
  const again = texts.length || zips.length ? [] : arrived;
  return { instruments, said, kits, name: folderOf(files), files: again, each: false };
}
