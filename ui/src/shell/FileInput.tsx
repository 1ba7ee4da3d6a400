import type { RefObject } from 'react';

/** A file chooser that is opened by something else; what was chosen is handed on once. */
export function FileInput({
  innerRef,
  testId,
  accept,
  onFile,
}: {
  innerRef: RefObject<HTMLInputElement | null>;
  testId: string;
  accept: string;
  onFile: (file: File) => void;
}) {
  return (
    <input
      ref={innerRef}
      type="file"
      hidden
      accept={accept}
      data-testid={testId}
      onChange={(event) => {
        const file = event.target.files?.[0];
        if (file) onFile(file);
        event.target.value = '';
      }}
    />
  );
}
