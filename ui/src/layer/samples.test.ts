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
    if (file.name === 'bad.wav') throw new Error('“bad.wav” is empty (0 bytes).');
    sent.upload.push(file.name);
    return { name: file.name };
  },
}));
const FONT = {
  kits: { 'k-0': 'Lantern, Font', 'k-8': 'Moth, Font' },
  skipped: ['Left out: chorus (2 places).'],
};
const { takeSamples } = await import('./samples');

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
    expect(shares).toEqual([0.25, 0.5, 0.75, 1]);
    expect(came).toEqual({ instruments: [{ name: 'by names' }], said: [], kits: [] });
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
    expect(came).toEqual({ instruments: [{ name: 'from SFZ' }], said: ['one is not here'], kits: [] });
  });

  it('are not arranged by an SFZ that cannot be read, which is said with its name', async () => {
    const came = await takeSamples([file('kit.sfz', 'broken'), file('a.wav')], () => undefined);
    expect(came).toEqual({ instruments: [], said: ['kit.sfz: No region names a sample.'], kits: [] });
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
