import type { Piece } from '../api/client';

/** The inks of the present look, read from the style sheet once per look. */
export interface Inks {
  paper: string;
  sheet: string;
  ink: string;
  soft: string;
  quiet: string;
  rule: string;
  faint: string;
  shade: string;
  piece: (name: string) => string;
}

const kept = new Map<boolean, Inks>();

export function inks(night: boolean): Inks {
  const known = kept.get(night);
  if (known) return known;
  const style = getComputedStyle(document.documentElement);
  const read = (name: string) => style.getPropertyValue(`--${name}`).trim();
  const found: Inks = {
    paper: read('paper'),
    sheet: read('sheet'),
    ink: read('ink'),
    soft: read('soft-ink'),
    quiet: read('quiet'),
    rule: read('rule'),
    faint: read('faint-rule'),
    shade: read('shade'),
    piece: (name) => style.getPropertyValue(`--piece-${name}`).trim() || read('ink'),
  };
  const pieces = new Map<string, string>();
  const readPiece = found.piece;
  found.piece = (name) => {
    if (!pieces.has(name)) pieces.set(name, readPiece(name));
    return pieces.get(name)!;
  };
  if (found.ink) kept.set(night, found);
  return found;
}

/** A note head as percussion notation has it: a tilted oval for drums, a cross for cymbals. */
export function noteHead(
  context: CanvasRenderingContext2D,
  head: Piece['head'],
  x: number,
  y: number,
  size: number,
  filled = true,
): void {
  context.beginPath();
  if (head === 'cross') {
    const arm = size * 0.82;
    context.moveTo(x - arm, y - arm);
    context.lineTo(x + arm, y + arm);
    context.moveTo(x + arm, y - arm);
    context.lineTo(x - arm, y + arm);
    context.lineWidth = filled ? Math.max(1.2, size * 0.38) : 1;
    context.stroke();
    return;
  }
  context.ellipse(x, y, size * 1.22, size * 0.86, -0.35, 0, Math.PI * 2);
  if (filled) context.fill();
  else {
    context.lineWidth = 1.2;
    context.stroke();
  }
}

/** Half the size of a note head for a velocity. */
export const headSize = (velocity: number, least: number, most: number): number =>
  least + (most - least) * Math.sqrt(Math.min(Math.max(velocity, 0), 127) / 127);
