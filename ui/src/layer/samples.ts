import { client, take, upload, type Instrument, type Schema } from '../api/client';
import { followed, type JobState } from '../api/jobs';
import { pathOf } from '../gather/useDrop';

/** What sample files were taken for, and what was said of those that could not be taken. */
export interface Came {
  instruments: Instrument[];
  said: string[];
  /** The kits that sound fonts brought; they are in the library already. */
  kits: string[];
}

const AT_ONCE = 3;

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
  const waiting = [...sounds];
  const work = async () => {
    for (let file = waiting.shift(); file; file = waiting.shift()) {
      try {
        arrived.push(
          await upload<Schema['ArrivedSample']>('/api/samples/files', file, () => undefined, {
            name: pathOf(file),
          }),
        );
      } catch (error) {
        said.push(error instanceof Error ? error.message : String(error));
      }
      onShare(++done / sounds.length);
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, work));
  const arrange = (sfz: Schema['SfzText'] | null) =>
    take(client.POST('/api/samples/arrange', { body: { files: arrived, sfz } }));
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
  return { instruments, said, kits };
}
