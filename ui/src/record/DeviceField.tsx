import { Form } from 'react-bootstrap';
import type { Device } from './microphone';

/** Which microphone is heard. */
export function DeviceField({
  id,
  devices,
  deviceId,
  disabled = false,
  onChange,
}: {
  id: string;
  devices: Device[];
  deviceId: string | null;
  disabled?: boolean;
  onChange: (deviceId: string | null) => void;
}) {
  return (
    <>
      <Form.Label htmlFor={id}>Microphone</Form.Label>
      <Form.Select
        id={id}
        size="sm"
        value={deviceId ?? ''}
        disabled={disabled}
        onChange={(event) => onChange(event.target.value || null)}
      >
        <option value="">the usual one</option>
        {devices.map((one) => (
          <option key={one.id} value={one.id}>
            {one.name}
          </option>
        ))}
      </Form.Select>
    </>
  );
}
