import { isTold, type BenchProps } from '../shell/bench';

const listed = (names: string[]): string =>
  names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names[names.length - 1]}`;

/** Which pieces of the kit have no microphone of their own, and what else hears them. */
export function Unheard({ document, overview, onAsk }: BenchProps & { onAsk: (partId: string) => void }) {
  const missing = overview?.without_microphone;
  if (!missing) return null;
  const parts = missing.heard_in.flatMap((id) => overview.parts.find((one) => one.part_id === id) ?? []);
  const asked = (id: string) =>
    Object.values(document.parts ?? {}).some((one) => one.sorted_from === id && isTold(one));
  return (
    <p className="about unheard" role="status" data-testid="unheard">
      No microphone of its own: {listed(missing.pieces)}. What hears{' '}
      {missing.pieces.length > 1 ? 'them' : 'it'}:{' '}
      {parts.map((one) => (
        <span key={one.part_id}>
          {one.name}{' '}
          {!asked(one.part_id) && (
            <button type="button" className="plain-act light" onClick={() => onAsk(one.part_id)}>
              Split into drums
            </button>
          )}{' '}
        </span>
      ))}
    </p>
  );
}
