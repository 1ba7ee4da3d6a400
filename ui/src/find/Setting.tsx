import { useEffect, useState } from 'react';
import { Form } from 'react-bootstrap';

interface Props {
  name: string;
  value: number;
  unit: string;
  least: number;
  most: number;
  step: number;
  digits?: number;
  about: string;
  following?: boolean;
  onMove: (value: number) => void;
  onDone: (value: number) => void;
  onFollow?: () => void;
}

/** One setting: its name, its number to type into, a thin rule with a handle, a line about it. */
export function Setting({
  name,
  value,
  unit,
  least,
  most,
  step,
  digits = 1,
  about,
  following,
  onMove,
  onDone,
  onFollow,
}: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const [moved, setMoved] = useState<number | null>(null);
  useEffect(() => {
    if (moved === null) return;
    // The keyboard moves a handle too; what stands still for a moment counts.
    const timer = setTimeout(() => {
      onDone(moved);
      setMoved(null);
    }, 350);
    return () => clearTimeout(timer);
  }, [moved, onDone]);
  const shown = moved ?? value;
  const take = () => {
    const number = Number((typed ?? '').replace('−', '-').replace(',', '.'));
    if (typed !== null && typed.trim() && Number.isFinite(number)) onDone(Math.min(Math.max(number, least), most));
    setTyped(null);
  };
  const id = `setting-${name.replace(/\W/g, '-').toLowerCase()}`;
  return (
    <div className="setting">
      <Form.Label htmlFor={id}>{name}</Form.Label>
      <span className="setting-number">
        <input
          aria-label={`${name} in ${unit}`}
          value={typed ?? shown.toFixed(digits).replace('-', '−')}
          onFocus={(event) => event.target.select()}
          onChange={(event) => setTyped(event.target.value)}
          onBlur={take}
          onKeyDown={(event) => {
            if (event.key === 'Enter') event.currentTarget.blur();
            if (event.key === 'Escape') setTyped(null);
          }}
        />
        <span>{unit}</span>
      </span>
      <Form.Range
        id={id}
        min={least}
        max={most}
        step={step}
        value={shown}
        onChange={(event) => {
          setMoved(Number(event.target.value));
          onMove(Number(event.target.value));
        }}
      />
      <span className="about">
        {about}
        {onFollow && !following && (
          <button type="button" className="plain-act follow" onClick={onFollow}>
            follow
          </button>
        )}
      </span>
    </div>
  );
}
