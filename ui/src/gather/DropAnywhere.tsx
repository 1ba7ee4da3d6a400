import { useCallback } from 'react';
import { useNavigate } from 'react-router';
import type { Doing } from '../api/session';
import { counted } from '../shell/counted';
import { useWindow } from '../state/window';
import { useDrop } from './useDrop';

/** Takes in what is dropped on a bench that wants no files itself, and shows it in Gather. */
export function DropAnywhere({ doing }: { doing: Doing }) {
  const navigate = useNavigate();
  const takeIn = useCallback(
    (files: File[]) => {
      if (!files.length) return;
      doing.takeIn(files);
      useWindow.getState().notify(`Adding ${counted(files.length, 'file')} to the session`, true);
      void navigate(`/session/${doing.id}/gather`);
    },
    [doing, navigate],
  );
  const over = useDrop(takeIn);
  return over ? (
    <p className="drop-anywhere" role="status">
      Drop to add to the session
    </p>
  ) : null;
}
