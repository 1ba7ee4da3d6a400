import { Modal } from 'react-bootstrap';
import { useWindow } from '../state/window';
import { Key } from './Key';

const SHEET: { title: string; rows: [string[], string][] }[] = [
  {
    title: 'Everywhere',
    rows: [
      [['Space'], 'play from the line, or stop'],
      [['1', '2', '3'], 'hear the recording, the layers, both'],
      [['S'], 'hear this part alone, or all parts'],
      [['X'], 'held: hear it as it was before the last change; not in Gather'],
      [['L'], 'loop the marked range on or off'],
      [['Home', 'End'], 'to the start, to the end'],
      [['+', '−', '0'], 'closer, farther, everything'],
      [[',', '.'], 'previous part, next part'],
      [['PgUp', 'PgDn'], 'previous bench, next bench'],
      [['Ctrl', 'Z'], 'undo; with Shift, do again'],
      [['R'], 'show or hide the grid'],
      [['N'], 'night look'],
      [['?'], 'this sheet'],
    ],
  },
  {
    title: 'Gather',
    rows: [
      [['↑', '↓'], 'previous source, next source'],
      [['K', 'S', 'T', '…'], 'what it is: the letter beside each piece'],
      [['X'], 'set the source aside, or take it up again'],
      [['Del'], 'take the source out'],
      [['V'], 'spill map, or sources'],
    ],
  },
  {
    title: 'Find',
    rows: [
      [['←', '→'], 'previous hit, next hit'],
      [['Shift', '←', '→'], 'previous, next candidate of any kind'],
      [['K'], 'keep: it counts whatever the settings say'],
      [['D'], 'drop: it does not count'],
      [['A'], 'add a hit at the pointer, else at the line'],
      [['E'], 'choose all that sound alike'],
      [['Alt', '←', '→'], 'move the hit by half a millisecond'],
      [['U'], 'take the mark on this place back'],
      [['M'], 'settings, or everything done by hand'],
      [['Q'], 'Second look: the doubtful places, worst first'],
      [['T'], 'tick on the hits, also while settings move'],
      [['H'], 'hear the recording as the detector hears it'],
      [['C'], 'bend the threshold line: click, drag, Alt-click'],
      [['W'], 'look only at the looped range, or at everything'],
      [['Y'], 'loop the best bar: most like all others, surest, tightest'],
      [['↑', '↓'], 'threshold up or down half a decibel'],
    ],
  },
  {
    title: 'Second look',
    rows: [
      [['K'], 'it counts'],
      [['D'], 'it does not count'],
      [['G'], 'give it to another part; then its number'],
      [['P', 'O'], 'hear its microphone, the suspected one'],
      [['N'], 'skip it for now'],
      [['B'], 'back to the one before'],
      [['Q'], 'leave'],
    ],
  },
  {
    title: 'Shape',
    rows: [
      [['V', 'T', 'W'], 'how hard, when, which note'],
      [['B'], 'before and after, seen and heard'],
      [['←', '→'], 'previous note, next note'],
      [['↑', '↓'], 'louder, softer; with Shift by ten'],
      [['Alt', '←', '→'], 'move the note by a millisecond'],
      [['Ctrl', 'A'], 'choose all'],
      [['D'], 'draw a line over the velocities'],
      [['G', 'E'], 'make ghosts, even out: what is chosen, else the loop'],
      [['P', 'M'], 'repeat the looped stretch behind itself; how often'],
      [['C'], 'copy the looped stretch to the line'],
      [['U'], 'take back what was set by hand'],
      [['Del'], 'delete'],
    ],
  },
  {
    title: 'Layer',
    rows: [
      [['↑', '↓'], 'try the previous sound, the next one, while it plays'],
      [['Enter'], 'take it in place of the layer; with Shift beside it'],
      [['/'], 'search the sounds'],
      [['E'], 'kits: your own samples, strengths, turns, SFZ'],
      [['B'], 'balance: levels, places, mute, solo, meters'],
      [['G'], 'recording, layers and both at one loudness'],
      [['D'], 'with the backing, or drums only'],
      [['K', 'J'], 'lock it to the recording; hit by hit'],
      [['O'], 'all hits laid over each other, the layer over them'],
      [['I'], 'turn its polarity round'],
      [['Alt', '←', '→'], 'one sample earlier, later; with Shift ten'],
      [['Tab'], 'next layer'],
    ],
  },
  {
    title: 'With the mouse',
    rows: [
      [['click'], 'on the waveform: put the line there'],
      [['drag'], 'on the waveform: mark a range to loop'],
      [['drag'], 'the threshold line: decide anew while you watch'],
      [['drag'], 'over candidates: choose them together'],
      [['wheel'], 'zoom; with Shift, move along'],
    ],
  },
];

/** Every key, by where it works. */
export function KeySheet() {
  const shown = useWindow((state) => state.keysShown);
  const set = useWindow((state) => state.set);
  return (
    <Modal show={shown} onHide={() => set({ keysShown: false })} size="lg" centered animation={false}>
      <Modal.Header closeButton>
        <Modal.Title>Keys</Modal.Title>
      </Modal.Header>
      <Modal.Body className="key-sheet">
        {SHEET.map(({ title, rows }) => (
          <section key={title}>
            <h3>{title}</h3>
            {rows.map(([keys, what]) => (
              <div className="key-row" key={keys.join() + what}>
                <span>
                  {keys.map((key) => (
                    <Key key={key}>{key}</Key>
                  ))}
                </span>
                <span>{what}</span>
              </div>
            ))}
          </section>
        ))}
      </Modal.Body>
    </Modal>
  );
}
