import { client, take, upload, type Instrument, type Schema } from '../api/client';
import { pathOf } from '../gather/useDrop';

/** What sample files were taken for, and what was said of those that could not be taken. */
export interface Came {
  instruments: Instrument[];
  said: string[];
}

const AT_ONCE = 3;

/** Send sample files, with the SFZ that speaks of them where one is among them, and have them arranged. */
export async function takeSamples(files: File[], onShare: (share: number) => void): Promise<Came> {
  const texts = files.filter((file) => /\.sfz$/i.test(file.name));
  const zips = files.filter((file) => /\.zip$/i.test(file.name));
  const sounds = files.filter((file) => !texts.includes(file) && !zips.includes(file));
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
  return { instruments, said };
}
