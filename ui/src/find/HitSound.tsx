import { Form } from 'react-bootstrap';
import type { Schema } from '../api/client';
import { useWindow } from '../state/window';

/** What is heard on the hits while settings move: ticks, or a sound of the library. */
export function HitSound({ library, piece }: { library: Schema['Library']; piece: string }) {
  const sound = useWindow((state) => state.triggerSound);
  const { set } = useWindow.getState();
  const kits = Object.entries(library.kits).map(([kit, { name, instruments }]) => ({
    kit,
    name,
    sounds: Object.entries(instruments ?? {}).filter(([, one]) => one.piece === piece),
  }));
  // Chosen for another piece, it goes on sounding.
  const chosen = sound && library.kits[sound.kit]?.instruments?.[sound.instrument];
  const elsewhere = chosen && chosen.piece !== piece ? chosen : null;
  return (
    <Form.Select
      size="sm"
      className="hit-sound"
      aria-label="What is heard on the hits"
      value={sound ? `${sound.kit}/${sound.instrument}` : ''}
      onChange={(event) => {
        const [kit, instrument] = event.target.value.split('/');
        set({ triggerSound: kit && instrument ? { kit, instrument } : null });
      }}
    >
      <option value="">ticks</option>
      {elsewhere && <option value={`${sound!.kit}/${sound!.instrument}`}>{elsewhere.name}</option>}
      {kits
        .filter(({ sounds }) => sounds.length)
        .map(({ kit, name, sounds }) => (
          <optgroup key={kit} label={name}>
            {sounds.map(([instrument, one]) => (
              <option key={instrument} value={`${kit}/${instrument}`}>
                {one.name}
              </option>
            ))}
          </optgroup>
        ))}
    </Form.Select>
  );
}
