/** Peaks for drawing, in tiles from the server, kept while they are of use. */

export const TILE_BINS = 1024;
const MOST_TILES = 600;

const tiles = new Map<string, Int16Array | 'asked'>();
const listeners = new Set<() => void>();

/** Call back when a tile has come; returns how to stop. */
export function onTile(listener: () => void): () => void {
  listeners.add(listener);
  return () => void listeners.delete(listener);
}

/** The exponent whose bins are just finer than one pixel. */
export function exponentFor(samplesPerPixel: number): number {
  return Math.min(Math.max(Math.floor(Math.log2(Math.max(samplesPerPixel, 1))), 0), 20);
}

/** A tile that is here; else undefined, and it is asked for. */
export function tile(audio: string, exponent: number, index: number): Int16Array | undefined {
  const key = `${audio}/${exponent}/${index}`;
  const kept = tiles.get(key);
  if (kept === 'asked') return undefined;
  if (kept) {
    tiles.delete(key);
    tiles.set(key, kept); // the last used stay longest
    return kept;
  }
  tiles.set(key, 'asked');
  void fetch(`/api/audio/${audio}/peaks/${exponent}/${index}`)
    .then(async (answer) => {
      if (!answer.ok) throw new Error();
      tiles.set(key, new Int16Array(await answer.arrayBuffer()));
      for (const old of tiles.keys()) {
        if (tiles.size <= MOST_TILES) break;
        tiles.delete(old);
      }
      listeners.forEach((listener) => listener());
    })
    .catch(() => setTimeout(() => tiles.delete(key), 2000));
  return undefined;
}

/** Smallest and largest sample (−1 to 1) in a stretch of samples, from the best tiles that are here. */
export function extremes(
  audio: string,
  fromSample: number,
  toSample: number,
  exponent: number,
): [number, number] | null {
  for (const level of [exponent, exponent + 2, exponent + 4, exponent + 6]) {
    const bin = 2 ** level;
    const first = Math.floor(fromSample / bin);
    const last = Math.max(Math.ceil(toSample / bin) - 1, first);
    let low = Infinity;
    let high = -Infinity;
    for (let at = first; at <= last;) {
      const index = Math.floor(at / TILE_BINS);
      const found = level === exponent ? tile(audio, level, index) : peek(audio, level, index);
      if (!found) {
        low = Infinity;
        break;
      }
      const end = Math.min(last, (index + 1) * TILE_BINS - 1);
      for (; at <= end; at++) {
        const place = 2 * (at - index * TILE_BINS);
        if (place >= found.length) {
          at = last + 1;
          break;
        }
        low = Math.min(low, found[place]!);
        high = Math.max(high, found[place + 1]!);
      }
    }
    if (low <= high) return [low / 32767, high / 32767];
  }
  return null;
}

function peek(audio: string, exponent: number, index: number): Int16Array | undefined {
  const kept = tiles.get(`${audio}/${exponent}/${index}`);
  return kept === 'asked' ? undefined : kept;
}
