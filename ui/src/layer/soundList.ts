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
  const words = searched.toLowerCase().split(/\s+/).filter(Boolean);
  const found = all.filter((sound) => {
    const text = [
      sound.one.name,
      sound.kitName,
      pieces.get(sound.one.piece)?.name ?? '',
      ...(sound.one.words ?? []),
      sound.liked ? 'favourite' : '',
    ]
      .join(' ')
      .toLowerCase();
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
