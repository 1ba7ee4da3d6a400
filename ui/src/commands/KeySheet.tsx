import { Modal } from 'react-bootstrap';
import { useWindow } from '../state/window';
import { Key } from '../shell/Key';
import { COMMANDS, commandsOf, saidOf, signsOf, type Command, type Place } from './catalogue';
import './keySheet.scss';

const TITLES: Record<Place, string> = {
  everywhere: 'Everywhere',
  gather: 'Gather',
  find: 'Find',
  'second look': 'Second look',
  sort: 'Sort',
  shape: 'Shape',
  write: 'Write, in Shape',
  cut: 'Cut, in Shape',
  layer: 'Layer',
  mix: 'Mix',
  print: 'Print',
};
const BY_MOUSE: [string, string][] = [
  ['click', 'on the waveform: put the line there'],
  ['drag', 'on the waveform: mark a range to loop'],
  ['drag', 'the threshold line, anywhere along it: decide anew while you watch'],
  ['drag', 'a hit: to another moment; it snaps to the attack there, with Alt it stays where it is let go'],
  ['drag', 'the chosen recording in Gather: along the time line; it snaps to where others begin or end'],
  ['drag', 'an edge of a slice, or a corner of the chosen one for its fade; with Alt it stays exactly there'],
  ['drag', 'over candidates: choose them together'],
  ['drag', 'the line of the gaps: where one begins, where it is open again, how deep it lies'],
  ['drag', 'in Mix: a head to its place and level, a point of the equaliser to its tone and gain'],
  ['wheel', 'zoom; with Shift, move along'],
];

/** Every key, by where it works. */
export function KeySheet() {
  const shown = useWindow((state) => state.keysShown);
  const set = useWindow((state) => state.set);
  return (
    <Modal
      show={shown}
      onHide={() => set({ keysShown: false })}
      size="lg"
      centered
      animation={false}
      aria-labelledby="key-sheet-title"
    >
      <Modal.Header closeButton>
        <Modal.Title id="key-sheet-title">Keys</Modal.Title>
      </Modal.Header>
      <Modal.Body className="key-sheet">
        {(Object.entries(TITLES) as [Place, string][]).map(([place, title]) => (
          <section key={place}>
            <h2>{title}</h2>
            {commandsOf(place).map((id) => (
              <Row key={id} signs={signsOf((COMMANDS[id] as Command).keys[0])} says={saidOf(id, place)} />
            ))}
            {place === 'write' && (
              <>
                <Row signs={['Shift', 'K']} says="write a piece at the step: with its letter" />
                <Row signs={['Alt', '1']} says="how hard, up to Alt 9" />
              </>
            )}
            {place === 'gather' && (
              <Row signs={['Shift', 'K']} says="what it is: with the letter beside each piece" />
            )}
          </section>
        ))}
        <section>
          <h2>With the mouse</h2>
          {BY_MOUSE.map(([sign, says]) => (
            <Row key={says} signs={[sign]} says={says} />
          ))}
        </section>
      </Modal.Body>
    </Modal>
  );
}

function Row({ signs, says }: { signs: string[]; says: string }) {
  return (
    <div className="key-row">
      <span>
        {signs.map((sign) => (
          <Key key={sign}>{sign}</Key>
        ))}
      </span>
      <span>{says}</span>
    </div>
  );
}
