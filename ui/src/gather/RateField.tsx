import { Form } from 'react-bootstrap';
import type { Document } from '../api/client';
import type { Doing } from '../api/session';

const USUAL_HZ = [44100, 48000, 88200, 96000];

/** The sample rate of what is rendered: what most recordings have, or one that is chosen. */
export function RateField({ doing, document }: { doing: Doing; document: Document }) {
  const rates = Object.values(document.sources ?? {}).flatMap((source) => source.clips[0]?.rate_hz ?? []);
  const rate = document.rate_hz ?? 44100;
  const have = rates.filter((one) => one === rate).length;
  const offered = [...new Set([...USUAL_HZ, ...rates, rate])].sort((a, b) => a - b);
  return (
    <div className="rate-field">
      <Form.Label htmlFor="sample-rate">Sample rate</Form.Label>
      <Form.Select
        id="sample-rate"
        size="sm"
        value={document.rate_chosen ? String(rate) : ''}
        onChange={(event) =>
          void doing.act({
            kind: 'set_rate',
            rate_hz: event.target.value ? Number(event.target.value) : null,
          })
        }
      >
        <option value="">
          {rates.length ? `${rate} Hz, as most recordings have` : 'as most recordings have'}
        </option>
        {offered.map((one) => (
          <option key={one} value={one}>
            {one} Hz
          </option>
        ))}
      </Form.Select>
      {have < rates.length && (
        <p className="about">
          {have} of {rates.length} recordings have {rate} Hz; the others are converted when they are heard and
          printed.
        </p>
      )}
    </div>
  );
}
