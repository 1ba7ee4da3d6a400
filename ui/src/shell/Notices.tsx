import { useEffect } from 'react';
import { CloseButton } from 'react-bootstrap';
import { useWindow } from '../state/window';
import type { Notice } from '../state/notices';

function One({ notice }: { notice: Notice }) {
  const dismiss = useWindow((state) => state.dismiss);
  useEffect(() => {
    const timer = setTimeout(() => dismiss(notice.id), notice.calm ? 3500 : 15000);
    return () => clearTimeout(timer);
  }, [notice, dismiss]);
  return (
    <div className={`notice ${notice.calm ? 'calm' : 'problem'}`} role={notice.calm ? 'status' : 'alert'}>
      <span>{notice.text}</span>
      <CloseButton aria-label="Close this notice" onClick={() => dismiss(notice.id)} />
    </div>
  );
}

/** What happened, what was kept, what to do: sentences that stand until read. */
export function Notices() {
  const notices = useWindow((state) => state.notices);
  return (
    <div className="notices">
      {notices.map((notice) => (
        <One key={notice.id} notice={notice} />
      ))}
    </div>
  );
}
