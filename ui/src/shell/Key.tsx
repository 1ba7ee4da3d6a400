/** A key, printed where it works. */
export const Key = ({ children }: { children: string }) => <kbd className="key">{children}</kbd>;
