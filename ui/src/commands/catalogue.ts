/** Where a command works. */
export type Place =
  | 'everywhere'
  | 'gather'
  | 'find'
  | 'second look'
  | 'sort'
  | 'shape'
  | 'write'
  | 'cut'
  | 'layer'
  | 'mix'
  | 'print';

export interface Command {
  /** Presses that do it, as `keyName` calls them; the first is the one that is printed. */
  keys: readonly [string, ...string[]];
  /** What it does, in a few words; by place where it works on different things. */
  says: string | Partial<Record<Place, string>>;
  where: readonly Place[];
}

const everywhere = (says: string, ...keys: [string, ...string[]]): Command => ({
  keys,
  says,
  where: ['everywhere'],
});
const at = (says: Partial<Record<Place, string>>, ...keys: [string, ...string[]]): Command => ({
  keys,
  says,
  where: Object.keys(says) as Place[],
});

/** Every command once. A key belongs to one command, and means the same wherever it works. */
export const COMMANDS = {
  play: everywhere('play from the line, or stop', ' '),
  hearRecording: everywhere('hear the recording', '1'),
  hearLayers: everywhere('hear the layers', '2'),
  hearBoth: everywhere('hear both', '3'),
  oneLoudness: everywhere('recording, layers and both at one loudness', '4'),
  drumsOnly: everywhere('with the backing, or drums only', '5'),
  alone: everywhere('hear this part alone, or all parts', 's'),
  asBefore: everywhere('held: hear it as it was before the last change', 'x'),
  loop: everywhere('loop the marked range on or off', 'l'),
  rangeBegin: everywhere('the range begins at the line', '('),
  rangeEnd: everywhere('the range ends at the line', ')'),
  previousBar: everywhere('the bar before', 'Ctrl+ArrowLeft'),
  nextBar: everywhere('the bar after', 'Ctrl+ArrowRight'),
  toStart: everywhere('to the start', 'Home'),
  toEnd: everywhere('to the end', 'End'),
  closer: everywhere('closer: to what is pointed at or chosen', '+', '='),
  farther: everywhere('farther', '-'),
  whole: everywhere('everything', '0'),
  previousPart: everywhere('previous part', ','),
  nextPart: everywhere('next part', '.'),
  previousBench: everywhere('previous bench', 'PageUp'),
  nextBench: everywhere('next bench', 'PageDown'),
  undo: everywhere('undo', 'Ctrl+z'),
  redo: everywhere('do it again', 'Ctrl+Shift+z', 'Ctrl+y'),
  grid: everywhere('show or hide the grid', 'r'),
  night: everywhere('night look', 'n'),
  keys: everywhere('this sheet', '?'),
  leave: at(
    {
      cut: 'let go of what is dragged',
      write: 'choose nothing; stop playing in',
      gather: 'let go of what is dragged',
      find: 'choose nothing; let go of what is dragged',
      'second look': 'leave',
      sort: 'choose nothing; leave what would follow',
      shape: 'choose nothing; let go of what is dragged',
      layer: 'leave the sound that is tried',
    },
    'Escape',
  ),
  view: at(
    {
      cut: 'how hard, when, which note, write, cut',
      write: 'how hard, when, which note, write, cut',
      gather: 'sources, tempo, spill map, record, live',
      find: 'settings, everything done by hand, mending, gaps',
      shape: 'how hard, when, which note, write, cut',
      layer: 'sounds, hits laid over each other, balance, kits',
    },
    'v',
  ),
  previous: at(
    {
      cut: 'the slice before',
      write: 'previous step',
      find: 'previous hit',
      'second look': 'the place before',
      sort: 'previous stroke',
      gather: 'the point of the tempo before',
      shape: 'previous note',
    },
    'ArrowLeft',
  ),
  next: at(
    {
      cut: 'the slice after',
      write: 'next step',
      find: 'next hit',
      'second look': 'skip it for now',
      sort: 'next stroke',
      gather: 'the point of the tempo after',
      shape: 'next note',
    },
    'ArrowRight',
  ),
  previousAny: at({ find: 'previous candidate of any kind' }, 'Shift+ArrowLeft'),
  nextAny: at({ find: 'next candidate of any kind' }, 'Shift+ArrowRight'),
  up: at(
    {
      write: 'the stroke louder',
      gather: 'the source above; a point of the tempo faster',
      find: 'threshold up',
      sort: 'the sound above',
      shape: 'louder; a point of the drawn line higher',
      layer: 'try the sound above, while it plays',
      mix: 'the stage above',
    },
    'ArrowUp',
  ),
  down: at(
    {
      write: 'the stroke softer',
      gather: 'the source below; a point of the tempo slower',
      find: 'threshold down',
      sort: 'the sound below',
      shape: 'softer; a point of the drawn line lower',
      layer: 'try the sound below',
      mix: 'the stage below',
    },
    'ArrowDown',
  ),
  upFar: at(
    {
      write: 'louder by ten',
      shape: 'louder by ten',
      find: 'the gap behind the stroke a decibel louder',
      gather: 'a point of the tempo faster by one',
    },
    'Shift+ArrowUp',
  ),
  downFar: at(
    {
      write: 'softer by ten',
      shape: 'softer by ten',
      find: 'the gap behind the stroke a decibel softer',
      gather: 'a point of the tempo slower by one',
    },
    'Shift+ArrowDown',
  ),
  earlier: at(
    {
      cut: 'its edge a millisecond earlier',
      find: 'the hit half a millisecond earlier',
      shape: 'the note a millisecond earlier',
      layer: 'a sample earlier',
      mix: 'the stage one place earlier',
      gather: 'a point of the tempo a bar earlier',
    },
    'Alt+ArrowLeft',
  ),
  later: at(
    {
      cut: 'its edge a millisecond later',
      find: 'the hit half a millisecond later',
      shape: 'the note a millisecond later',
      layer: 'a sample later',
      mix: 'the stage one place later',
      gather: 'a point of the tempo a bar later',
    },
    'Alt+ArrowRight',
  ),
  earlierFar: at(
    {
      cut: 'its edge ten milliseconds earlier',
      layer: 'ten samples earlier',
      find: 'the gap behind the stroke ten milliseconds earlier',
    },
    'Alt+Shift+ArrowLeft',
  ),
  laterFar: at(
    {
      cut: 'its edge ten milliseconds later',
      layer: 'ten samples later',
      find: 'the gap behind the stroke ten milliseconds later',
    },
    'Alt+Shift+ArrowRight',
  ),
  keep: at(
    {
      find: 'keep: it counts whatever the settings say',
      sort: 'keep: it is what it says',
      'second look': 'it counts',
    },
    'k',
  ),
  drop: at(
    {
      cut: 'no cut here',
      find: 'drop: it does not count',
      shape: 'take the point of the drawn line away',
      sort: 'drop: it does not count',
      'second look': 'it does not count',
    },
    'd',
  ),
  add: at(
    {
      cut: 'a cut at the line',
      write: 'to the empty bar behind the last',
      find: 'add a hit at the pointer, else at the line',
      shape: 'a point of the drawn line, at the line',
      sort: 'the piece that is said next is struck there as well',
      mix: 'add a stage',
      gather: 'a point of the tempo at the line',
    },
    'a',
  ),
  similar: at({ find: 'choose all that sound alike', sort: 'choose all of this sound' }, 'e'),
  takeBack: at(
    {
      cut: 'the cut as it was found',
      find: 'take the mark on this place back',
      sort: 'take back what was said of it',
      shape: 'take back what was set by hand',
    },
    'u',
  ),
  takeOut: at(
    {
      cut: 'no cut here',
      write: 'take the stroke away',
      gather: 'take the source out; take the point of the tempo away',
      sort: 'throw this piece away, or take it back',
      shape: 'delete the notes',
      mix: 'take the stage out',
    },
    'Delete',
    'Backspace',
  ),
  moveUp: at({ gather: 'the part one place up' }, 'Ctrl+ArrowUp'),
  moveDown: at({ gather: 'the part one place down' }, 'Ctrl+ArrowDown'),
  rename: at({ gather: 'name the part' }, 'F2'),
  setAside: at({ gather: 'set the source aside, or take it up again' }, 'Shift+Delete'),
  secondLook: at(
    {
      find: 'Second look: the doubtful places, worst first',
      'second look': 'leave',
      gather: 'Second look at what was heard',
    },
    'q',
  ),
  give: at({ 'second look': 'give it to another part; then its number' }, 'g'),
  hearIts: at(
    {
      cut: 'hear the slice',
      write: 'hear the stroke',
      'second look': 'hear its own microphone',
      sort: 'hear it; a sound one stroke after the other',
    },
    'p',
  ),
  hearOther: at({ 'second look': 'hear the suspected one', sort: 'hear what would follow' }, 'o'),
  record: at({ gather: 'record a pass, or stop and keep it' }, 'Alt+r'),
  listen: at({ gather: 'listen live, or stop and keep it' }, 'Alt+l'),
  learnKit: at({ gather: 'learn the kit in ten seconds' }, 'Alt+i'),
  ticks: at(
    { write: 'a click on every beat, or none', find: 'tick on the hits, also while settings move' },
    '6',
  ),
  detector: at({ find: 'hear the recording as the detector hears it' }, '7'),
  draw: at(
    {
      find: 'bend the threshold line: click, drag, Alt-click, or point by point',
      shape: 'draw a line over the velocities: drag, or point by point',
    },
    'c',
  ),
  onlyLoop: at({ find: 'look only at the looped range, or at everything' }, 'w'),
  bestBar: at(
    {
      sort: 'keep the best kick, snare and hat as a kit',
      cut: 'keep the best kick, snare and hat as a kit',
      find: 'loop the best bar: most like all others, surest, tightest',
    },
    'y',
  ),
  before: at(
    { shape: 'before and after, seen and heard', mix: 'hear it without any stage, as loud as with them' },
    'b',
  ),
  beforeOne: at({ mix: 'hear it without this stage, as loud as with it' }, 'Alt+b'),
  chooseAll: at({ sort: 'choose all', shape: 'choose all' }, 'Ctrl+a'),
  ghosts: at({ write: 'a ghost, or no longer', shape: 'make ghosts: what is chosen, else the loop' }, 'h'),
  even: at({ shape: 'even out: what is chosen, else the loop' }, 'f'),
  repeat: at(
    { write: 'the bar once more behind the last', shape: 'repeat the looped stretch behind itself' },
    't',
  ),
  howOften: at({ write: 'how often', shape: 'how often' }, 'm'),
  copyHere: at({ shape: 'copy the looped stretch to the line' }, 'i'),
  take: at(
    {
      shape: 'take the line that is drawn',
      write: 'write at the step, or take away',
      sort: 'take all that follows',
      layer: 'take it in place of the layer',
    },
    'Enter',
  ),
  fewer: at({ sort: 'let only what is most alike follow' }, '8'),
  more: at({ sort: 'let what is less alike follow too' }, '9'),
  takeBeside: at({ layer: 'take it beside the layer' }, 'Shift+Enter'),
  search: at({ layer: 'search the sounds' }, '/'),
  lock: at(
    { cut: 'its edge to the attack, else to where the wave crosses zero', layer: 'lock it to the recording' },
    'j',
  ),
  lockEach: at({ layer: 'lock it hit by hit' }, 'Alt+j'),
  turnRound: at({ layer: 'turn its polarity round' }, 'z'),
  askPieces: at({ gather: 'split it into drums, or keep it as one part' }, 'Alt+p'),
  mend: at({ find: 'mend the stroke with another of its drum; again: with the next best' }, 'Alt+m'),
  unmend: at({ find: 'let it sound as it was recorded; its gap as it is told' }, 'Alt+u'),
  gaps: at({ find: 'turn the gaps of this recording down, or leave them' }, 'Alt+c'),
  nextDoubt: at({ sort: 'the most doubtful stroke, then the next' }, 'Alt+ArrowDown'),
  chooseGhosts: at({ find: 'choose the ghost strokes' }, 'Alt+h'),
  divide: at(
    {
      find: 'divide: what is chosen becomes a part of its own',
      sort: 'divide: what is chosen becomes a part of its own',
    },
    'Alt+d',
  ),
  together: at(
    { find: 'join it with the part it was divided from', sort: 'join this piece with the one chosen next' },
    'Alt+g',
  ),
  asOne: at({ sort: 'one part again, not sorted' }, 'Alt+o'),
  accent: at({ write: 'an accent, or no longer' }, '>'),
  flam: at({ write: 'a flam, then a drag, then neither' }, ';'),
  way: at(
    {
      write: 'struck another way: open, side stick, bell',
      shape: 'the chosen notes struck another way: open, side stick, bell',
    },
    "'",
  ),
  vary: at({ write: 'the bar once more, varied within the feel' }, 'Alt+v'),
  emptyBar: at({ write: 'empty the bar of what is written' }, 'Alt+Delete'),
  playIn: at({ write: 'play it in on the letters or a MIDI keyboard, or stop' }, 'Ctrl+Enter'),
  fadeInShorter: at({ cut: 'a shorter fade in', find: 'open later before the stroke' }, '['),
  fadeInLonger: at({ cut: 'a longer fade in', find: 'open earlier before the stroke' }, ']'),
  fadeOutShorter: at({ cut: 'a shorter fade out' }, '{'),
  fadeOutLonger: at({ cut: 'a longer fade out' }, '}'),
  keepKit: at({ cut: 'keep the slices as a kit of the library' }, 'Alt+k'),
  nextLayer: at({ layer: 'next layer' }, 'Alt+n'),
  fitMaster: at({ print: 'turn the master down until no print clips' }, 'Alt+f'),
} as const satisfies Record<string, Command>;

export type CommandId = keyof typeof COMMANDS;

/** What a command does in a place, in words. */
export function saidOf(id: CommandId, place: Place): string {
  const { says } = COMMANDS[id] as Command;
  return typeof says === 'string' ? says : (says[place] ?? '');
}

/** The commands of a place, in the order of the list. */
export function commandsOf(place: Place): CommandId[] {
  return (Object.keys(COMMANDS) as CommandId[]).filter((id) =>
    (COMMANDS[id] as Command).where.includes(place),
  );
}

/** A press of Shift and a piece's letter says what a source is; no other command may use such a press. */
export const pieceKey = (letter: string): string => `Shift+${letter}`;

const SIGNS: Record<string, string> = {
  ' ': 'Space',
  ArrowLeft: '←',
  ArrowRight: '→',
  ArrowUp: '↑',
  ArrowDown: '↓',
  Delete: 'Del',
  PageUp: 'PgUp',
  PageDown: 'PgDn',
  Escape: 'Esc',
  '-': '−',
};

/** A press as it is printed: one sign a key. */
export function signsOf(press: string): string[] {
  // A plus at the end is the key itself.
  const parts = press === '+' ? ['+'] : press.split('+');
  return parts.map((part) => SIGNS[part] ?? (part.length === 1 ? part.toUpperCase() : part));
}
