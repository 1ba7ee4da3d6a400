import type { ReactNode } from 'react';
import { Link } from 'react-router';

/** A bench that has nothing to work on yet: what it will do, and where to begin. */
export function Empty({
  title,
  children,
  sessionId,
}: {
  title: string;
  children: ReactNode;
  sessionId: string;
}) {
  return (
    <div className="empty">
      <h2>{title}</h2>
      <p>{children}</p>
      <Link className="look-act solo" to={`/session/${sessionId}/gather`}>
        Go to Gather
      </Link>
    </div>
  );
}
