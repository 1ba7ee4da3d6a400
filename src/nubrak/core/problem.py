"""What a person is told when something cannot be done."""

from __future__ import annotations

import errno


class Problem(Exception):
    """Something a person can understand and act on.

    ``what`` happened, what was ``kept``, and what ``todo`` next; each is a full sentence. ``kind`` sorts it:
    ``input`` (the material given is not usable), ``missing`` (it does not exist), ``stale`` (somebody was
    faster), ``refused`` (not allowed).
    """

    def __init__(
        self, what: str, kept: str = "Nothing was changed.", todo: str = "", kind: str = "input"
    ) -> None:
        super().__init__(" ".join(part for part in (what, kept, todo) if part))
        self.what, self.kept, self.todo, self.kind = what, kept, todo, kind


def disk_is_full(error: BaseException) -> bool:
    """Whether there was no room on the disk; libsndfile and zipfile hand on what the system said in words."""
    return (
        isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)
    ) or "no space left" in str(error).lower()
