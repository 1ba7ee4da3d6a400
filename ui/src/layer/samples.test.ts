import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';

const sent: { upload: string[]; arranged: { files: { name: string }[]; sfz: { text: string } | null }[] } = {
  upload: [],
  arranged: [],
};
vi.mock('../api/client', () => ({
  client: {
    POST: async (_: string, { body }: { body: (typeof sent.arranged)[number] }) => {
      if (body.sfz?.text === 'broken') throw new Error('No region names a sample.');
      sent.arranged.push(body);
      return {
        instruments: [{ name: body.sfz ? 'from SFZ' : 'by names' }],
        skipped: body.sfz ? ['one is not here'] : [],
      };
    },
  },
  take: <T>(asked: Promise<T>) => asked,
  upload: async (path: string, file: File) => {
    if (file.name === 'bad.sf2') throw new Error('This sound font is damaged: it is cut off.');
    if (path === '/api/sound-fonts') return { job_id: 'j', share: 0, done: true, font: FONT };
    const heads = JSON.parse((await file.text()).split('\n')[0]!) as { name: string }[];
    const good = heads.filter((head) => head.name !== 'bad.wav');
    sent.upload.push(...good.map((head) => head.name));
    const refused = good.length < heads.length ? ['“bad.wav” is empty (0 bytes).'] : [];
    return { arrived: good.map(({ name }) => ({ name })), refused };
  },
}));
const FONT = {
  kits: { 'k-0': 'Lantern, Font', 'k-8': 'Moth, Font' },
  skipped: ['Left out: chorus (2 places).'],
};
const { folderOf, inGroups, takeSamples } = await import('./samples');

// The files of the test's browser cannot be read as text.
const file = (name: string, text = '') => Object.assign(new File([text], name), { text: async () => text });

beforeEach(() => {
  sent.upload = [];
  sent.arranged = [];
});
afterEach(() => vi.clearAllMocks());

describe('sample files', () => {
  it('are sent, and arranged together by their names', async () => {
    const shares: number[] = [];
    const came = await takeSamples([file('a.wav'), file('b.wav'), file('c.wav'), file('d.wav')], (share) =>
      shares.push(share),
    );
    expect(sent.upload.sort()).toEqual(['a.wav', 'b.wav', 'c.wav', 'd.wav']);
    expect(sent.arranged).toHaveLength(1);
    expect(shares).toEqual([1]);
    expect(came).toMatchObject({ instruments: [{ name: 'by names' }], said: [], kits: [], name: 'a' });
    expect(came.files).toHaveLength(4);
  });

  it('that cannot be taken are said, and the others come', async () => {
    const came = await takeSamples([file('a.wav'), file('bad.wav')], () => undefined);
    expect(came.said).toEqual(['“bad.wav” is empty (0 bytes).']);
    expect(sent.arranged[0]!.files).toEqual([{ name: 'a.wav' }]);
  });

  it('are arranged as an SFZ beside them says, and what it names in vain is said', async () => {
    const came = await takeSamples(
      [file('kit.SFZ', '<region> sample=a.wav'), file('a.wav')],
      () => undefined,
    );
    expect(sent.upload).toEqual(['a.wav']);
    expect(sent.arranged[0]!.sfz).toMatchObject({ name: 'kit.SFZ', text: '<region> sample=a.wav' });
    expect(came).toMatchObject({ instruments: [{ name: 'from SFZ' }], said: ['one is not here'], kits: [] });
  });

  it('are not arranged by an SFZ that cannot be read, which is said with its name', async () => {
    const came = await takeSamples([file('kit.sfz', 'broken'), file('a.wav')], () => undefined);
    expect(came).toMatchObject({ instruments: [], said: ['kit.sfz: No region names a sample.'], kits: [] });
  });

  it('come as whole kits from a sound font, and what it left out is said; a damaged one is', async () => {
    const came = await takeSamples([file('drums.SF2'), file('bad.sf2')], () => undefined);
    expect(came.kits).toEqual(['Lantern, Font', 'Moth, Font']);
    expect(came.said).toEqual([
      'Left out: chorus (2 places).',
      'bad.sf2: This sound font is damaged: it is cut off.',
    ]);
    expect(sent.arranged).toEqual([]);
  });

  it('are not asked about where none came', async () => {
    expect(await takeSamples([file('bad.wav')], () => undefined)).toMatchObject({ instruments: [] });
    expect(sent.arranged).toEqual([]);
  });
});

describe('a folder of files', () => {
  const inFolder = (path: string) =>
    Object.defineProperty(new File([''], path.split('/').pop()!), 'webkitRelativePath', { value: path });

  it('is sent in groups of twenty, none of them larger than sixteen megabytes', () => {
    const small = Array.from({ length: 45 }, (_, k) => new File(['x'], `${k}.wav`));
    expect(inGroups(small).map((group) => group.length)).toEqual([20, 20, 5]);
    const large = Array.from({ length: 3 }, (_, k) =>
      Object.defineProperty(new File(['x'], `${k}.wav`), 'size', { value: 9e6 }),
    );
    expect(inGroups(large).map((group) => group.length)).toEqual([1, 1, 1]);
  });

  it('gives the kit its name', () => {
    expect(folderOf([inFolder('Straßentheater/Trommeln/Döner 1.wav')])).toBe('Straßentheater');
    expect(folderOf([new File([''], 'Döner 1.wav')])).toBe('Döner 1');
  });
});
