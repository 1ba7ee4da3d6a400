"""Which revision each session has reached, as far as a process that listens has heard.

A dragged control asks dozens of times a second whether anything has changed since. While the process hears of
every change (LISTEN, ``web/hub.py``), it need not ask the database; what it does itself it knows before it
answers. While it does not listen it knows nothing.
"""

from __future__ import annotations

import threading
from dataclasses import dataclass, field


@dataclass
class Revisions:
    """The revisions that are known. Threads may share it."""

    _known: dict[str, int] = field(default_factory=dict)
    _listens: bool = False
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def begin(self) -> None:
        """From now on every change is heard of; what was known before may be old."""
        with self._lock:
            self._known.clear()
            self._listens = True

    def end(self) -> None:
        """Changes may be missed from now on."""
        with self._lock:
            self._known.clear()
            self._listens = False

    def reached(self, session_id: str, revision: int) -> None:
        """A session has this revision at least."""
        with self._lock:
            if self._listens:
                self._known[session_id] = max(revision, self._known.get(session_id, revision))

    def forget(self, session_id: str) -> None:
        """There is no such session any more."""
        with self._lock:
            self._known.pop(session_id, None)

    def of(self, session_id: str) -> int | None:
        """The revision of a session; None where it is not known."""
        return self._known.get(session_id)
