import { Form } from 'react-bootstrap';
import type { Part } from '../api/client';
import type { Doing } from '../api/session';

/** Whether a part's recording and its layers are heard, and whether they are heard alone. */
export function Heard({ doing, partId, part }: { doing: Doing; partId: string; part: Part }) {
  const blend = part.blend ?? {};
  const change = (changes: Record<string, boolean>) =>
    void doing.act({ kind: 'set_blend', part_id: partId, changes });
  const sides = [
    ['recording', 'recording', part.sources.length > 0],
    ['layers', 'layers', Object.keys(part.layers ?? {}).length > 0],
  ] as const;
  return (
    <div className="heard">
      {sides
        .filter(([, , there]) => there)
        .map(([side, word]) => (
          <div key={side}>
            <Form.Check
              type="switch"
              id={`heard-${side}`}
              label={`${word} heard`}
              checked={blend[`${side}_on`] ?? true}
              onChange={(event) => change({ [`${side}_on`]: event.target.checked })}
            />
            <Form.Check
              type="switch"
              id={`solo-${side}`}
              label="solo"
              aria-label={`Solo ${word}`}
              checked={blend[`${side}_solo`] ?? false}
              onChange={(event) => change({ [`${side}_solo`]: event.target.checked })}
            />
          </div>
        ))}
    </div>
  );
}
