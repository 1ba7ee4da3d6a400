import type { Instrument, Layer, Piece, Schema } from '../api/client';

export interface Sound {
  kitId: string;
  kitName: string;
  id: string;
  one: Instrument;
  liked: boolean;
  said?: string;
}

export const keyOf = (sound: Sound): string => `${sound.kitId}/${sound.id}`;

/** Whether a layer plays this sound; many kits have one of the same name. */
export const isUsed = ({ one }: Sound, layers: Record<string, Layer>): boolean =>
  Object.values(layers).some(
    ({ instrument }) =>
      instrument.name === one.name && instrument.samples[0]?.audio === one.samples[0]?.audio,
  );

/** Small letters without accents, so that a search finds a name however it is typed. */
const folded = (text: string): string => text.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();

/** Each sound once: the kits of a sound font share most of theirs. The one that is liked stands for all. */
function once(sounds: Sound[]): Sound[] {
  const kept = new Map<string, Sound>();
  for (const sound of sounds) {
    const heard = sound.one.samples.map(({ audio, level_db, low_velocity }) => [
      audio,
      level_db,
      low_velocity,
    ]);
    const key = JSON.stringify([sound.one.name, sound.one.piece, heard]);
    const before = kept.get(key);
    if (!before || (sound.liked && !before.liked)) kept.set(key, sound);
  }
  return [...kept.values()];
}

/**
 * The sounds that answer a search: those of the piece first, what is liked before the rest, else kit by kit;
 * or in the order that suits the part.
 */
export function ordered(
  library: Schema['Library'],
  piece: string,
  searched: string,
  pieces: ReadonlyMap<string, Piece>,
  suits: Schema['Suits'][] | null,
): Sound[] {
  const all: Sound[] = Object.entries(library.kits).flatMap(([kitId, kit]) =>
    Object.entries(kit.instruments ?? {}).map(([id, one]) => ({
      kitId,
      kitName: kit.name,
      id,
      one,
      liked: kit.favourites?.includes(id) ?? false,
    })),
  );
  const words = folded(searched).split(/\s+/).filter(Boolean);
  const found = once(all).filter((sound) => {
    const text = folded(
      [
        sound.one.name,
        sound.kitName,
        pieces.get(sound.one.piece)?.name ?? '',
        ...(sound.one.words ?? []),
        sound.liked ? 'favourite' : '',
      ].join(' '),
    );
    return words.every((word) => text.includes(word));
  });
  if (suits) {
    const place = new Map(suits.map((one, index) => [`${one.kit_id}/${one.instrument_id}`, index]));
    return found
      .map((sound) => ({ ...sound, said: suits[place.get(keyOf(sound)) ?? -1]?.said }))
      .sort((a, b) => (place.get(keyOf(a)) ?? 1e9) - (place.get(keyOf(b)) ?? 1e9));
  }
  return found.sort(
    (a, b) =>
      Number(b.one.piece === piece) - Number(a.one.piece === piece) || Number(b.liked) - Number(a.liked),
  );
}
