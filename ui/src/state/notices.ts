/** A sentence that is said until it is read; `calm`: it is not a fault. */
export interface Notice {
  id: number;
  text: string;
  calm: boolean;
}

export interface NoticesSlice {
  notices: Notice[];
}

const MOST_AT_ONCE = 3;

let last = 0;

export const noticesAtFirst = (): NoticesSlice => ({ notices: [] });

/** The notices with one more. What is said already is not said once more, such as at every step of a drag. */
export function withNotice({ notices }: NoticesSlice, text: string, calm: boolean): NoticesSlice {
  if (notices.some((one) => one.text === text)) return { notices };
  return { notices: [...notices.slice(1 - MOST_AT_ONCE), { id: ++last, text, calm }] };
}
