import { useState } from 'react';
import { Button, Form } from 'react-bootstrap';
import { limitOf } from '../api/limit';

interface Props {
  /** Set a tempo and record to it. */
  onTempo: (bpm: number) => void;
  /** Record without count-in and click. */
  onWithout: () => void;
  onCancel: () => void;
}

/** Count-in and click are switched on and there is no tempo: asked before a pass begins, not left silent. */
export function NeedsTempo({ onTempo, onWithout, onCancel }: Props) {
  const limit = limitOf('Tempo', 'bpm');
  const [typed, setTyped] = useState('120');
  const bpm = Number(typed);
  const fits = typed.trim() !== '' && bpm >= limit.least && bpm <= limit.most;
  return (
    <form
      className="needs-tempo"
      role="alertdialog"
      aria-label="The click needs a tempo"
      data-testid="needs-tempo"
      onSubmit={(event) => {
        event.preventDefault();
        if (fits) onTempo(bpm);
      }}
      onKeyDown={(event) => event.key === 'Escape' && onCancel()}
    >
      <p className="about">Count-in and click are on, but the session has no tempo yet.</p>
      <Form.Control
        size="sm"
        inputMode="decimal"
        aria-label="Tempo of the click, bpm"
        value={typed}
        autoFocus
        onFocus={(event) => event.target.select()}
        onChange={(event) => setTyped(event.target.value)}
      />
      <Button type="submit" size="sm" disabled={!fits}>
        Set tempo and record
      </Button>
      <button type="button" className="plain-act" onClick={onWithout}>
        Record without click
      </button>
      <button type="button" className="plain-act light" onClick={onCancel}>
        Cancel
      </button>
    </form>
  );
}
