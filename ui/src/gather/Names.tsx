import { useState, type RefObject } from 'react';
import { Form } from 'react-bootstrap';
import { KeyOf } from '../commands/KeyOf';

interface Props {
  name: string;
  usual: string;
  file: string;
  field: RefObject<HTMLInputElement | null>;
  onName: (name: string) => void;
  onFile: (name: string) => void;
}

/** What a part and its source are called; both names go into everything that is written. */
export function Names({ name, usual, file, field, onName, onFile }: Props) {
  return (
    <div className="names">
      <Typed
        id="source-name"
        label="Recording"
        value={file}
        onDone={(text) => void (text && onFile(text))}
        longest={400}
      />
      <Typed
        id="part-name"
        label={
          <>
            Part is called <KeyOf of="rename" />
          </>
        }
        value={name}
        placeholder={usual}
        field={field}
        onDone={onName}
        longest={80}
      />
    </div>
  );
}

function Typed({
  id,
  label,
  value,
  placeholder,
  field,
  longest,
  onDone,
}: {
  id: string;
  label: React.ReactNode;
  value: string;
  placeholder?: string;
  field?: RefObject<HTMLInputElement | null>;
  longest: number;
  onDone: (text: string) => void;
}) {
  const [text, setText] = useState<string | null>(null);
  const leave = () => {
    if (text !== null && text.trim() !== value) onDone(text.trim());
    setText(null);
  };
  return (
    <div>
      <Form.Label htmlFor={id}>{label}</Form.Label>
      <Form.Control
        id={id}
        ref={field}
        size="sm"
        value={text ?? value}
        placeholder={placeholder}
        maxLength={longest}
        onChange={(event) => setText(event.target.value)}
        onBlur={leave}
        onKeyDown={(event) => {
          if (event.key === 'Enter') (event.currentTarget as HTMLInputElement).blur();
          if (event.key === 'Escape') setText(null);
        }}
      />
    </div>
  );
}
