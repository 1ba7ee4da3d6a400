"""What a person is told when something cannot be done."""

from __future__ import annotations

import errno
from pathlib import Path
from shutil import disk_usage


class Problem(Exception):
    """Something a person can understand and act on.

    ``what`` happened, what was ``kept``, and what ``todo`` next; each is a full sentence. ``kind`` sorts it:
    ``input`` (the material given is not usable), ``missing`` (it does not exist), ``stale`` (somebody was
    faster), ``refused`` (not allowed), ``full`` (the disk is).
    """

    def __init__(
        self, what: str, kept: str = "Nothing was changed.", todo: str = "", kind: str = "input"
    ) -> None:
        super().__init__(" ".join(part for part in (what, kept, todo) if part))
        self.what, self.kept, self.todo, self.kind = what, kept, todo, kind


_HARDLY_ANY = 1 << 20  # bytes of room with which nothing is written any more
_DISK_FULL = "53100"  # PostgreSQL's SQLSTATE for it (appendix A of its manual)


def disk_is_full(error: BaseException, folder: Path | None = None) -> bool:
    """Whether there was no room on the disk: as the system says it, as PostgreSQL does, or where libsndfile
    only speaks of a system error, by the room that is left where ``folder`` lies.
    """
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        return True
    inner = getattr(error, "orig", None) or error
    said = str(error).lower()
    if getattr(inner, "sqlstate", None) == _DISK_FULL or "no space left" in said:
        return True
    return folder is not None and "system error" in said and disk_usage(folder).free < _HARDLY_ANY
