import type { Piece } from '../api/client';

/** The note head of a piece in its ink. */
export function PieceMark({ piece, size = 16 }: { piece: Piece; size?: number }) {
  const colour = `var(--piece-${piece.ink})`;
  return (
    <svg width={size} height={size} viewBox="-8 -8 16 16" aria-hidden="true" className="piece-mark">
      {piece.head === 'oval' ? (
        <ellipse rx="6.2" ry="4.4" transform="rotate(-20)" fill={colour} />
      ) : (
        <path d="M-4.5 -4.5 L4.5 4.5 M4.5 -4.5 L-4.5 4.5" stroke={colour} strokeWidth="2.2" />
      )}
    </svg>
  );
}
