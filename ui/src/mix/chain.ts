import type { Schema } from '../api/client';

export type Stage = NonNullable<Schema['Part']['chain']>[number];
export type Kind = NonNullable<Stage['kind']>;
export type StageOf<K extends Kind> = Extract<Stage, { kind?: K }>;
export type Band = NonNullable<StageOf<'equaliser'>['bands']>[number];

export const KINDS: [Kind, string, string][] = [
  ['cuts', 'Cuts', 'what lies below and above is taken away'],
  ['equaliser', 'Equaliser', 'bells and shelves, drawn on the spectrum'],
  ['dynamics', 'Dynamics', 'loud strokes down, all of it up'],
  ['attack and body', 'Attack and body', 'the stroke and its ring, by the hits that are known'],
  ['drive', 'Drive', 'soft saturation'],
  ['width', 'Width', 'nearer together or further apart'],
  ['sweep', 'Sweep', 'a filter that goes up and down with the bars'],
  ['re-cut', 'Re-cut', 'steps of the grid again, backwards, in pieces'],
];

export const nameOf = (kind: Kind): string => KINDS.find(([one]) => one === kind)![1];

const signed = (value: number, digits = 1) =>
  `${value > 0 ? '+' : ''}${value.toFixed(digits).replace(/\.0$/, '')}`.replace('-', '−');
export const hertz = (hz: number): string =>
  hz >= 1000 ? `${(hz / 1000).toFixed(1).replace(/\.0$/, '')} kHz` : `${Math.round(hz)} Hz`;

/** What a stage does, in numbers. */
export function saidOf(stage: Stage): string {
  switch (stage.kind) {
    case 'cuts': {
      const ends = [
        stage.low_cut_hz ? `from ${hertz(stage.low_cut_hz)}` : null,
        stage.high_cut_hz ? `to ${hertz(stage.high_cut_hz)}` : null,
      ].filter(Boolean);
      return ends.join(' ') || 'nothing cut yet';
    }
    case 'equaliser':
      return (
        (stage.bands ?? [])
          .filter((band) => band.by_db)
          .map((band) => `${signed(band.by_db ?? 0)} at ${hertz(band.at_hz ?? 500)}`)
          .join(', ') || 'flat'
      );
    case 'dynamics':
      return `${(stage.ratio ?? 3).toFixed(1).replace(/\.0$/, '')} : 1 over ${signed(stage.threshold_db ?? -18)} dB${
        (stage.blend_percent ?? 100) < 100 ? `, ${stage.blend_percent} % blended` : ''
      }`;
    case 'attack and body':
      return `${signed(stage.attack_db ?? 0)} dB for ${stage.attack_ms} ms, body ${signed(stage.body_db ?? 0)} dB`;
    case 'drive':
      return `${signed(stage.drive_db ?? 0)} dB, ${stage.blend_percent} %`;
    case 'width':
      return `${stage.width_percent} %`;
    case 'sweep':
      return (
        `${stage.takes === 'lows' ? 'lows' : 'highs'} away, ` +
        `${hertz(stage.from_hz ?? 400)} to ${hertz(stage.to_hz ?? 8000)}`
      );
    case 're-cut': {
      const cut = (stage.steps ?? []).filter((one) => one !== 'as played').length;
      return cut ? `${cut} of ${stage.steps!.length} steps` : 'no step yet';
    }
    default:
      return '';
  }
}

/** A stage as it comes in: it does nothing until it is set, but for what would be silly to begin with. */
export function newStage(kind: Kind): Stage {
  switch (kind) {
    case 'cuts':
      return { kind, on: true, low_cut_hz: 30 } as Stage;
    case 'equaliser':
      return { kind, on: true, bands: [{ shape: 'bell', at_hz: 500, by_db: 0, octaves: 1 }] } as Stage;
    case 'sweep':
      return { kind, on: true, takes: 'highs', from_hz: 400, to_hz: 8000, every_beats: 16 } as Stage;
    default:
      return { kind, on: true } as Stage;
  }
}

/** A chain with one stage at another place. */
export function moved(chain: readonly Stage[], from: number, to: number): Stage[] {
  if (to < 0 || to >= chain.length) return [...chain];
  const out = [...chain];
  const [one] = out.splice(from, 1);
  out.splice(to, 0, one!);
  return out;
}
