import { create } from 'zustand';
import { choiceAtFirst, type ChoiceSlice } from './choice';
import { draftAtFirst, type DraftSlice } from './draft';
import { listeningAtFirst, type ListeningSlice } from './listening';
import { noticesAtFirst, withNotice, type NoticesSlice } from './notices';
import { viewAtFirst, type ViewSlice } from './view';

type Slices = ViewSlice & ChoiceSlice & ListeningSlice & DraftSlice & NoticesSlice;

/** What one window shows and hears. Nothing of it is kept by the server, and none of it decides anything. */
interface WindowState extends Slices {
  set: (changes: Partial<Slices>) => void;
  notify: (text: string, calm?: boolean) => void;
  dismiss: (id: number) => void;
}

export const useWindow = create<WindowState>((set) => ({
  ...viewAtFirst(),
  ...choiceAtFirst(),
  ...listeningAtFirst(),
  ...draftAtFirst(),
  ...noticesAtFirst(),
  set: (changes) => set(changes),
  notify: (text, calm = false) => set((now) => withNotice(now, text, calm)),
  dismiss: (id) => set((now) => ({ notices: now.notices.filter((notice) => notice.id !== id) })),
}));
