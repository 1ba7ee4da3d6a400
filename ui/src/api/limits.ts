// Made from the models by `./nubrak schema`: change them there.

/** A number that can be set: its bounds, its step and unit, its usual value, and how far a handle goes. */
export interface Limit {
  readonly least: number;
  readonly most: number;
  readonly step: number;
  readonly unit: string;
  readonly usual: number | null;
  readonly low: number;
  readonly high: number;
}

export const LIMITS = {
  Accents: {
    percent: { least: 0, most: 100, step: 1, unit: '%', usual: 40, low: 0, high: 100 },
  },
  Articulation: {
    note: { least: 0, most: 127, step: 1, unit: '', usual: null, low: 0, high: 127 },
  },
  AskStages: {
    stage: { least: 0, most: 15, step: 1, unit: '', usual: null, low: 0, high: 15 },
  },
  AttackBodyStage: {
    attack_db: { least: -24, most: 24, step: 0.5, unit: 'dB', usual: 0, low: -24, high: 24 },
    attack_ms: { least: 1, most: 100, step: 1, unit: 'ms', usual: 15, low: 1, high: 100 },
    body_db: { least: -36, most: 24, step: 0.5, unit: 'dB', usual: 0, low: -36, high: 24 },
    body_ms: { least: 20, most: 4000, step: 1, unit: 'ms', usual: 250, low: 20, high: 4000 },
  },
  Blend: {
    low_cut_hz: { least: 20, most: 8000, step: 1, unit: 'Hz', usual: null, low: 20, high: 8000 },
    high_cut_hz: { least: 100, most: 20000, step: 1, unit: 'Hz', usual: null, low: 100, high: 20000 },
    recording_db: { least: -60, most: 12, step: 0.5, unit: 'dB', usual: 0, low: -60, high: 12 },
    recording_pan: { least: -1, most: 1, step: 0.05, unit: '', usual: 0, low: -1, high: 1 },
    layers_db: { least: -60, most: 12, step: 0.5, unit: 'dB', usual: 0, low: -60, high: 12 },
    layers_pan: { least: -1, most: 1, step: 0.05, unit: '', usual: 0, low: -1, high: 1 },
    duck_db: { least: -60, most: 0, step: 1, unit: 'dB', usual: 0, low: -60, high: 0 },
    duck_in_ms: { least: 0.1, most: 200, step: 1, unit: 'ms', usual: 3, low: 0.1, high: 200 },
    duck_hold_ms: { least: 0, most: 2000, step: 1, unit: 'ms', usual: 120, low: 0, high: 2000 },
    duck_out_ms: { least: 0.1, most: 2000, step: 1, unit: 'ms', usual: 80, low: 0.1, high: 2000 },
  },
  Cleaning: {
    down_db: { least: 1, most: 60, step: 1, unit: 'dB', usual: 16, low: 1, high: 60 },
    rings_db: { least: 12, most: 60, step: 1, unit: 'dB', usual: 40, low: 12, high: 60 },
    opens_ms: { least: 0, most: 50, step: 0.5, unit: 'ms', usual: 1, low: 0, high: 50 },
    fade_in_ms: { least: 0.1, most: 50, step: 0.1, unit: 'ms', usual: 1, low: 0.1, high: 20 },
    fade_out_ms: { least: 1, most: 2000, step: 1, unit: 'ms', usual: 40, low: 1, high: 500 },
    passage_ms: { least: 500, most: 30000, step: 100, unit: 'ms', usual: 2000, low: 500, high: 10000 },
  },
  CopyBars: {
    bar: { least: -10000, most: 1000000, step: 1, unit: '', usual: null, low: -10000, high: 1000000 },
    to_bar: { least: -10000, most: 1000000, step: 1, unit: '', usual: null, low: -10000, high: 1000000 },
    times: { least: 1, most: 512, step: 1, unit: '', usual: 1, low: 1, high: 512 },
    seed: { least: 0, most: 2147483648, step: 1, unit: '', usual: 0, low: 0, high: 2147483648 },
  },
  CurvePoint: {
    offset_db: { least: -60, most: 60, step: 0.5, unit: 'dB', usual: null, low: -60, high: 60 },
  },
  CutMark: {
    fade_in_ms: { least: 0, most: 50, step: 0.1, unit: 'ms', usual: null, low: 0, high: 50 },
    fade_out_ms: { least: 0, most: 2000, step: 1, unit: 'ms', usual: null, low: 0, high: 2000 },
  },
  CutSettings: {
    lead_ms: { least: 0, most: 50, step: 0.1, unit: 'ms', usual: 0.5, low: 0, high: 50 },
    fade_in_ms: { least: 0, most: 50, step: 0.1, unit: 'ms', usual: 0.5, low: 0, high: 50 },
    fade_out_ms: { least: 0, most: 2000, step: 1, unit: 'ms', usual: null, low: 0, high: 2000 },
  },
  CutsStage: {
    low_cut_hz: { least: 20, most: 8000, step: 1, unit: 'Hz', usual: null, low: 20, high: 8000 },
    high_cut_hz: { least: 100, most: 20000, step: 1, unit: 'Hz', usual: null, low: 100, high: 20000 },
  },
  Document: {
    rate_hz: { least: 8000, most: 384000, step: 1, unit: 'Hz', usual: 44100, low: 8000, high: 384000 },
    master_db: { least: -60, most: 12, step: 0.5, unit: 'dB', usual: 0, low: -60, high: 12 },
  },
  DriveStage: {
    drive_db: { least: 0, most: 24, step: 0.5, unit: 'dB', usual: 6, low: 0, high: 24 },
    blend_percent: { least: 0, most: 100, step: 1, unit: '%', usual: 100, low: 0, high: 100 },
  },
  DynamicsStage: {
    threshold_db: { least: -60, most: 0, step: 0.5, unit: 'dB', usual: -18, low: -60, high: 0 },
    ratio: { least: 1, most: 20, step: 0.1, unit: ': 1', usual: 3, low: 1, high: 20 },
    knee_db: { least: 0, most: 24, step: 0.5, unit: 'dB', usual: 6, low: 0, high: 24 },
    attack_ms: { least: 0.05, most: 200, step: 0.5, unit: 'ms', usual: 20, low: 0.05, high: 100 },
    release_ms: { least: 5, most: 1000, step: 1, unit: 'ms', usual: 90, low: 5, high: 1000 },
    make_up_db: { least: -12, most: 24, step: 0.5, unit: 'dB', usual: 0, low: -12, high: 24 },
    blend_percent: { least: 0, most: 100, step: 1, unit: '%', usual: 100, low: 0, high: 100 },
    hears_from_hz: { least: 20, most: 1000, step: 1, unit: 'Hz', usual: null, low: 20, high: 1000 },
  },
  EmptyBars: {
    bar: { least: -10000, most: 1000000, step: 1, unit: '', usual: null, low: -10000, high: 1000000 },
    to_bar: { least: -10000, most: 1000000, step: 1, unit: '', usual: null, low: -10000, high: 1000000 },
  },
  EqBand: {
    at_hz: { least: 20, most: 20000, step: 1, unit: 'Hz', usual: 500, low: 20, high: 20000 },
    by_db: { least: -24, most: 24, step: 0.5, unit: 'dB', usual: 0, low: -24, high: 24 },
    octaves: { least: 0.1, most: 4, step: 0.1, unit: 'octaves', usual: 1, low: 0.1, high: 4 },
  },
  EvenOut: {
    percent: { least: 0, most: 100, step: 1, unit: '%', usual: 50, low: 0, high: 100 },
    around: { least: 1, most: 64, step: 1, unit: '±', usual: 4, low: 1, high: 32 },
  },
  Feel: {
    bar_beats: { least: 0.0625, most: 128, step: 0.0625, unit: 'beats', usual: null, low: 0.0625, high: 128 },
  },
  FeelBars: {
    bar: { least: -10000, most: 1000000, step: 1, unit: '', usual: null, low: -10000, high: 1000000 },
    to_bar: { least: -10000, most: 1000000, step: 1, unit: '', usual: null, low: -10000, high: 1000000 },
    timing_percent: { least: 0, most: 150, step: 1, unit: '%', usual: 100, low: 0, high: 150 },
    strength_percent: { least: 0, most: 150, step: 1, unit: '%', usual: 40, low: 0, high: 150 },
  },
  FeelStep: {
    late_ms: { least: -4500, most: 4500, step: 1, unit: 'ms', usual: 0, low: -4500, high: 4500 },
    strength: { least: 0, most: 10, step: 1, unit: '', usual: 1, low: 0, high: 10 },
  },
  FeelUse: {
    timing_percent: { least: 0, most: 150, step: 1, unit: '%', usual: 100, low: 0, high: 150 },
    strength_percent: { least: 0, most: 150, step: 1, unit: '%', usual: 100, low: 0, high: 150 },
  },
  FindSettings: {
    threshold_db: { least: -96, most: 0, step: 0.1, unit: 'dB', usual: null, low: -96, high: 0 },
    rise_db: { least: 3, most: 40, step: 0.5, unit: 'dB', usual: null, low: 3, high: 40 },
    hold_off_ms: { least: 5, most: 500, step: 1, unit: 'ms', usual: null, low: 5, high: 200 },
    re_arm_db: { least: 0, most: 40, step: 0.5, unit: 'dB', usual: null, low: 0, high: 24 },
    low_hz: { least: 20, most: 18000, step: 1, unit: 'Hz', usual: null, low: 20, high: 18000 },
    high_hz: { least: 40, most: 22000, step: 1, unit: 'Hz', usual: null, low: 40, high: 22000 },
    spill_margin_db: { least: -12, most: 24, step: 0.5, unit: 'dB', usual: 4, low: -12, high: 24 },
    surety_percent: { least: 0, most: 95, step: 1, unit: '%', usual: 50, low: 0, high: 95 },
  },
  GapMark: {
    down_db: { least: 0, most: 60, step: 0.5, unit: 'dB', usual: null, low: 0, high: 60 },
  },
  Ghosts: {
    loudest: { least: 1, most: 127, step: 1, unit: 'vel', usual: 38, low: 1, high: 90 },
  },
  Grid: {
    swing_percent: { least: 50, most: 80, step: 0.1, unit: '%', usual: 50, low: 50, high: 80 },
  },
  HitOffset: {
    offset_samples: {
      least: -4800,
      most: 4800,
      step: 1,
      unit: 'samples',
      usual: null,
      low: -4800,
      high: 4800,
    },
  },
  Instrument: {
    key: { least: 0, most: 127, step: 1, unit: '', usual: null, low: 0, high: 127 },
  },
  Layer: {
    most_offset_ms: { least: 0, most: 5, step: 0.05, unit: 'ms', usual: 0.3, low: 0, high: 1 },
    low_cut_hz: { least: 20, most: 8000, step: 1, unit: 'Hz', usual: null, low: 20, high: 8000 },
    high_cut_hz: { least: 100, most: 20000, step: 1, unit: 'Hz', usual: null, low: 100, high: 20000 },
    offset_samples: { least: -4800, most: 4800, step: 1, unit: 'samples', usual: 0, low: -4800, high: 4800 },
    start_ms: { least: 0, most: 2000, step: 0.5, unit: 'ms', usual: 0, low: 0, high: 100 },
    tune_semitones: { least: -24, most: 24, step: 0.1, unit: 'st', usual: 0, low: -24, high: 24 },
    attack_ms: { least: 0, most: 500, step: 0.5, unit: 'ms', usual: 0, low: 0, high: 100 },
    hold_ms: { least: 0, most: 10000, step: 5, unit: 'ms', usual: null, low: 0, high: 2000 },
    decay_ms: { least: 1, most: 10000, step: 5, unit: 'ms', usual: 200, low: 1, high: 2000 },
    fade_ms: { least: 0, most: 2000, step: 1, unit: 'ms', usual: 15, low: 0, high: 500 },
    level_db: { least: -60, most: 24, step: 0.5, unit: 'dB', usual: -6, low: -60, high: 24 },
    velocity_amount: { least: 0, most: 2, step: 0.05, unit: '', usual: 1, low: 0, high: 2 },
    low_velocity: { least: 1, most: 127, step: 1, unit: 'vel', usual: 1, low: 1, high: 127 },
    high_velocity: { least: 1, most: 127, step: 1, unit: 'vel', usual: 127, low: 1, high: 127 },
  },
  Likely: {
    sure: { least: 0, most: 1, step: 1, unit: '', usual: null, low: 0, high: 1 },
  },
  Limits: {
    floor: { least: 1, most: 127, step: 1, unit: 'vel', usual: 20, low: 1, high: 127 },
    ceiling: { least: 1, most: 127, step: 1, unit: 'vel', usual: 127, low: 1, high: 127 },
  },
  LinePoint: {
    percent: { least: 0, most: 400, step: 1, unit: '', usual: null, low: 0, high: 400 },
  },
  LiveAsked: {
    look_ahead_ms: { least: 0, most: 10, step: 0.7, unit: 'ms', usual: 5, low: 0, high: 10 },
    rate_hz: { least: 8000, most: 384000, step: 1, unit: 'Hz', usual: 44100, low: 8000, high: 384000 },
  },
  LiveWord: {
    look_ahead_ms: { least: 0, most: 10, step: 1, unit: 'ms', usual: null, low: 0, high: 10 },
    network_ms: { least: 0, most: 10000, step: 1, unit: 'ms', usual: null, low: 0, high: 10000 },
  },
  Mark: {
    velocity: { least: 1, most: 127, step: 1, unit: '', usual: null, low: 1, high: 127 },
    note: { least: 0, most: 127, step: 1, unit: '', usual: null, low: 0, high: 127 },
  },
  MarkChange: {
    velocity: { least: 1, most: 127, step: 1, unit: '', usual: null, low: 1, high: 127 },
    note: { least: 0, most: 127, step: 1, unit: '', usual: null, low: 0, high: 127 },
  },
  Mend: {
    velocity: { least: 1, most: 127, step: 1, unit: '', usual: null, low: 1, high: 127 },
    played: { least: 1, most: 127, step: 1, unit: '', usual: null, low: 1, high: 127 },
  },
  Microphone: {
    level_db: { least: -60, most: 12, step: 0.5, unit: 'dB', usual: 0, low: -60, high: 12 },
    delay_ms: { least: -20, most: 20, step: 0.02, unit: 'ms', usual: 0, low: -20, high: 20 },
  },
  MoveCut: {
    by_ms: { least: -10000, most: 10000, step: 1, unit: 'ms', usual: 0, low: -10000, high: 10000 },
  },
  MovePart: {
    to: { least: 0, most: 1000, step: 1, unit: '', usual: null, low: 0, high: 1000 },
  },
  NoteByHand: {
    velocity: { least: 1, most: 127, step: 1, unit: '', usual: null, low: 1, high: 127 },
    note: { least: 0, most: 127, step: 1, unit: '', usual: null, low: 0, high: 127 },
  },
  PartsBus: {
    level_db: { least: -60, most: 12, step: 0.5, unit: 'dB', usual: 0, low: -60, high: 12 },
    pan: { least: -1, most: 1, step: 1, unit: '', usual: 0, low: -1, high: 1 },
  },
  PassAsked: {
    rate_hz: { least: 8000, most: 384000, step: 1, unit: 'Hz', usual: null, low: 8000, high: 384000 },
    channels: { least: 1, most: 32, step: 1, unit: '', usual: 1, low: 1, high: 32 },
  },
  PatternNote: {
    velocity: { least: 1, most: 127, step: 1, unit: '', usual: 100, low: 1, high: 127 },
    note: { least: 0, most: 127, step: 1, unit: '', usual: null, low: 0, high: 127 },
  },
  Piece: {
    note: { least: 0, most: 127, step: 1, unit: '', usual: null, low: 0, high: 127 },
  },
  PieceGuess: {
    sure: { least: 0, most: 1, step: 1, unit: '', usual: null, low: 0, high: 1 },
  },
  PlayedIn: {
    velocity: { least: 1, most: 127, step: 1, unit: '', usual: 100, low: 1, high: 127 },
    note: { least: 0, most: 127, step: 1, unit: '', usual: null, low: 0, high: 127 },
  },
  PlayedPass: {
    drawn_percent: { least: 0, most: 100, step: 1, unit: '%', usual: 0, low: 0, high: 100 },
  },
  PrintSettings: {
    rate_hz: { least: 8000, most: 192000, step: 1, unit: 'Hz', usual: null, low: 8000, high: 192000 },
  },
  Quantise: {
    strength_percent: { least: 0, most: 100, step: 1, unit: '%', usual: 100, low: 0, high: 100 },
    within_ms: { least: 1, most: 500, step: 1, unit: 'ms', usual: null, low: 1, high: 200 },
    together_ms: { least: 0, most: 120, step: 1, unit: 'ms', usual: 45, low: 0, high: 120 },
  },
  Raise: {
    by: { least: -126, most: 126, step: 1, unit: 'vel', usual: 10, low: -60, high: 60 },
  },
  Randomise: {
    amount: { least: 0, most: 64, step: 1, unit: 'vel', usual: 6, low: 0, high: 40 },
    seed: { least: 0, most: 2147483647, step: 1, unit: 'no.', usual: 1, low: 0, high: 99 },
  },
  Recovery: {
    depth_percent: { least: 0, most: 100, step: 1, unit: '%', usual: 35, low: 0, high: 100 },
    recovery_ms: { least: 10, most: 2000, step: 5, unit: 'ms', usual: 180, low: 20, high: 800 },
  },
  Repeat: {
    times: { least: 1, most: 1000, step: 1, unit: '', usual: 1, low: 1, high: 1000 },
  },
  Room: {
    decay_ms: { least: 100, most: 8000, step: 1, unit: 'ms', usual: null, low: 100, high: 8000 },
    early_db: { least: -24, most: 12, step: 0.5, unit: 'dB', usual: 0, low: -24, high: 12 },
    later_ms: { least: 0, most: 250, step: 1, unit: 'ms', usual: 0, low: 0, high: 250 },
  },
  Sample: {
    low_velocity: { least: 1, most: 127, step: 1, unit: 'vel', usual: 1, low: 1, high: 127 },
    high_velocity: { least: 1, most: 127, step: 1, unit: 'vel', usual: 127, low: 1, high: 127 },
    velocity: { least: 1, most: 127, step: 1, unit: '', usual: 127, low: 1, high: 127 },
    level_db: { least: -144, most: 24, step: 0.5, unit: 'dB', usual: 0, low: -144, high: 24 },
    tune_semitones: { least: -36, most: 36, step: 0.1, unit: 'st', usual: 0, low: -36, high: 36 },
    attack_ms: { least: 0, most: 10000, step: 1, unit: 'ms', usual: 0, low: 0, high: 10000 },
    hold_ms: { least: 0, most: 10000, step: 1, unit: 'ms', usual: null, low: 0, high: 10000 },
    decay_ms: { least: 1, most: 10000, step: 1, unit: 'ms', usual: 200, low: 1, high: 10000 },
  },
  Scale: {
    percent: { least: 0, most: 400, step: 1, unit: '%', usual: 80, low: 0, high: 200 },
    pivot: { least: 0, most: 127, step: 1, unit: 'vel', usual: null, low: 0, high: 127 },
  },
  SendTo: {
    amount_db: { least: -60, most: 12, step: 0.5, unit: 'dB', usual: null, low: -60, high: 12 },
  },
  SetLess: {
    less_db: { least: -60, most: 0, step: 0.5, unit: 'dB', usual: null, low: -60, high: 0 },
  },
  SetMaster: {
    master_db: { least: -60, most: 12, step: 0.5, unit: 'dB', usual: null, low: -60, high: 12 },
  },
  SetRate: {
    rate_hz: { least: 8000, most: 384000, step: 1, unit: 'Hz', usual: null, low: 8000, high: 384000 },
  },
  SetTo: {
    velocity: { least: 1, most: 127, step: 1, unit: 'vel', usual: 100, low: 1, high: 127 },
  },
  ShapeSettings: {
    note: { least: 0, most: 127, step: 1, unit: '', usual: null, low: 0, high: 127 },
    channel: { least: 1, most: 16, step: 1, unit: '', usual: 10, low: 1, high: 16 },
    length_beats: { least: 0.0625, most: 16, step: 0.0625, unit: 'beats', usual: 0.5, low: 0.0625, high: 4 },
  },
  SlicesChoice: {
    to_bpm: { least: 20, most: 400, step: 1, unit: '', usual: null, low: 20, high: 400 },
  },
  StrengthPoint: {
    strength_db: { least: -120, most: 12, step: 0.5, unit: 'dB', usual: null, low: -120, high: 12 },
    velocity: { least: 0, most: 127, step: 1, unit: '', usual: null, low: 0, high: 127 },
  },
  SweepStage: {
    from_hz: { least: 40, most: 18000, step: 1, unit: 'Hz', usual: 400, low: 40, high: 18000 },
    to_hz: { least: 40, most: 18000, step: 1, unit: 'Hz', usual: 8000, low: 40, high: 18000 },
    every_beats: { least: 0.5, most: 128, step: 0.5, unit: 'quarters', usual: 16, low: 0.5, high: 128 },
    ring: { least: 0.5, most: 8, step: 0.1, unit: '', usual: 0.7, low: 0.5, high: 8 },
    blend_percent: { least: 0, most: 100, step: 1, unit: '%', usual: 100, low: 0, high: 100 },
  },
  Tempo: {
    sure: { least: 0, most: 1, step: 1, unit: '', usual: null, low: 0, high: 1 },
    bpm: { least: 20, most: 400, step: 1, unit: '', usual: 120, low: 20, high: 400 },
    beats_per_bar: { least: 1, most: 32, step: 1, unit: '', usual: 4, low: 1, high: 32 },
  },
  TempoChange: {
    bpm: { least: 20, most: 400, step: 1, unit: '', usual: null, low: 20, high: 400 },
  },
  TempoPoint: {
    bar: { least: 1, most: 100000, step: 1, unit: '', usual: null, low: 1, high: 100000 },
    bpm: { least: 20, most: 400, step: 1, unit: '', usual: null, low: 20, high: 400 },
  },
  Timing: {
    shift_ms: { least: -500, most: 500, step: 0.1, unit: 'ms', usual: 0, low: -60, high: 60 },
  },
  Vary: {
    drop_percent: { least: 0, most: 100, step: 1, unit: '%', usual: 15, low: 0, high: 100 },
    add_percent: { least: 0, most: 100, step: 1, unit: '%', usual: 25, low: 0, high: 100 },
    shift_percent: { least: 0, most: 200, step: 1, unit: '%', usual: 100, low: 0, high: 200 },
  },
  WidthStage: {
    width_percent: { least: 0, most: 200, step: 5, unit: '%', usual: 100, low: 0, high: 200 },
  },
  WriteAt: {
    bar: { least: -10000, most: 1000000, step: 1, unit: '', usual: null, low: -10000, high: 1000000 },
    step: { least: 0, most: 4096, step: 1, unit: '', usual: null, low: 0, high: 4096 },
    velocity: { least: 1, most: 127, step: 1, unit: '', usual: null, low: 1, high: 127 },
  },
} as const satisfies Record<string, Record<string, Limit>>;
