import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { digitsOf, held, type Limit } from '../api/limit';
import { useSettled } from './useSettled';

interface Props {
  name: string;
  value: number;
  /** Bounds, step and unit, as the model has them. */
  limit: Limit;
  digits?: number;
  about: string;
  following?: boolean;
  /** Not in force: its number stands quiet. */
  off?: boolean;
  /** The handle moves in octaves, not in equal steps. */
  logarithmic?: boolean;
  onMove?: (value: number) => void;
  onDone: (value: number) => void;
  onFollow?: () => void;
}

/** One setting: its name, its number to type into, a thin rule with a handle, a line about it. */
export function Setting({
  name,
  value,
  limit,
  digits = digitsOf(limit.step),
  about,
  following,
  off,
  logarithmic,
  onMove,
  onDone,
  onFollow,
}: Props) {
  const { unit, step, low, high } = limit;
  const [typed, setTyped] = useState<string | null>(null);
  const [moved, setMoved] = useSettled(onDone, 350);
  const shown = moved ?? value;
  const take = () => {
    const number = Number((typed ?? '').replace('−', '-').replace(',', '.'));
    if (typed !== null && typed.trim() && Number.isFinite(number)) onDone(held(number, limit));
    setTyped(null);
  };
  const id = `setting-${name.replace(/\W/g, '-').toLowerCase()}`;
  return (
    <div className={`setting ${off ? 'off' : ''}`}>
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
        min={logarithmic ? Math.log2(low) : low}
        max={logarithmic ? Math.log2(high) : high}
        step={logarithmic ? 0.01 : step}
        value={logarithmic ? Math.log2(shown) : shown}
        onChange={(event) => {
          const handle = Number(event.target.value);
          const number = logarithmic ? Math.round(held(2 ** handle, limit)) : handle;
          setMoved(number);
          onMove?.(number);
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
