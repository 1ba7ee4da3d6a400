import { afterEach, expect, it, vi } from 'vitest';
import { player } from '../sound/player';
import { hearBeginning } from './hearBeginning';

vi.mock('../sound/player', () => ({ player: { once: vi.fn(() => Promise.resolve()) } }));

const answers = (ok: boolean) => {
  const asked = vi.fn((address: string) =>
    Promise.resolve({
      ok,
      address,
      arrayBuffer: () => Promise.resolve(new Float32Array([0.5, -0.5]).buffer),
    }),
  );
  vi.stubGlobal('fetch', asked);
  return asked;
};

afterEach(() => {
  vi.unstubAllGlobals();
  vi.clearAllMocks();
});

it('plays the first seconds of the part, from where its recording begins', async () => {
  const asked = answers(true);
  await hearBeginning('s', 'p', 2.5, 48000);
  expect(asked).toHaveBeenCalledWith('/api/sessions/s/sound/recording?start=120000&frames=144000&part=p');
  expect(player.once).toHaveBeenCalledWith(new Float32Array([0.5, -0.5]), 48000);
});

it('says so where it cannot be played, and where nobody answers', async () => {
  answers(false);
  await expect(hearBeginning('s', 'p', 0, 48000)).rejects.toThrow(/could not be played. Nothing was changed/);
  vi.stubGlobal('fetch', () => Promise.reject(new TypeError('Failed to fetch')));
  await expect(hearBeginning('s', 'p', 0, 48000)).rejects.toThrow(/does not answer/);
  expect(player.once).not.toHaveBeenCalled();
});
