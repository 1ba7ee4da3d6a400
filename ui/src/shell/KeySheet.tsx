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
      [['Del'], 'take the source out'],
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
      [['U'], 'take the mark on this place back'],
      [['↑', '↓'], 'threshold up or down half a decibel'],
    ],
  },
  {
    title: 'Layer',
    rows: [
      [['↑', '↓'], 'previous sound, next sound'],
      [['Enter'], 'let it sound with this part'],
    ],
  },
  {
    title: 'With the mouse',
    rows: [
      [['click'], 'on the waveform: put the line there'],
      [['drag'], 'on the waveform: mark a range to loop'],
      [['drag'], 'the threshold line: decide anew while you watch'],
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
