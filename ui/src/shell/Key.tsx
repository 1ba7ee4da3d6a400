/**
 * A key, printed where it works. `painted`: it is only seen, where what it stands on is called by a name that
 * says more.
 */
export const Key = ({ children, painted = false }: { children: string; painted?: boolean }) =>
  painted ? <kbd className="key" data-key={children} aria-hidden /> : <kbd className="key">{children}</kbd>;
