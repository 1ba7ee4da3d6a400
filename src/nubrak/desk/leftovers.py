"""What the data folder holds, and what of it nothing needs any more: shown, and freed when asked for."""

from __future__ import annotations

import os
import shutil
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

from pydantic import BaseModel, Field
from sqlalchemy import Engine

from nubrak.store.cache import derived_kinds
from nubrak.store.jobs import kept_jobs
from nubrak.store.leftovers import database_bytes, forget_unwanted, give_back, known_audio, unwanted_bytes

_GRACE_S = 3600.0  # a draft this old is nobody's any more
_HASH = 64


class Holds(BaseModel):
    """How much room everything takes, in bytes."""

    database: int = Field(description="recordings, samples, sessions with all that can be undone")
    working_copies: int = Field(description="decoded audio and pictures; made again where they are missing")
    prints: int = Field(description="prints and archives that wait to be fetched")
    unwanted: int = Field(description="of all this, what nothing refers to any more")

    @property
    def total(self) -> int:
        return self.database + self.working_copies + self.prints


class Freed(BaseModel):
    """What freeing did."""

    bytes_freed: int
    holds: Holds


def holds(engine: Engine, folder: Path) -> Holds:
    """How much everything takes that a database and its folder of working copies hold, and how much of it
    nothing needs.
    """
    jobs = _size(_files_under(folder / "jobs"))
    return Holds(
        database=database_bytes(engine),
        working_copies=_size(_files_under(folder)) - jobs,
        prints=jobs,
        unwanted=unwanted_bytes(engine, derived_kinds()) + _size(_unwanted_files(engine, folder)),
    )


def free(engine: Engine, url: str, folder: Path) -> Freed:
    """Delete what nothing needs and give its room back; sessions, what undo brings back, kits and files that
    are under way stay whole.
    """
    before = _taken(engine, folder)
    # Files first: on a full disk they make the room in which the database can forget.
    for path in list(_unwanted_files(engine, folder)):
        with suppress(OSError):
            path.unlink()
    kept = kept_jobs(engine)
    for job in _children(folder / "jobs"):
        if job.name not in kept and _is_old(job):
            shutil.rmtree(job, ignore_errors=True)
    forget_unwanted(engine, derived_kinds())
    for path in list(_unwanted_files(engine, folder)):
        with suppress(OSError):
            path.unlink()
    # Writing the rest once more needs as much room again.
    room = shutil.disk_usage(folder).free
    give_back(url, whole=room > 1.2 * database_bytes(engine))
    return Freed(bytes_freed=max(before - _taken(engine, folder), 0), holds=holds(engine, folder))


def _taken(engine: Engine, folder: Path) -> int:
    return database_bytes(engine) + _size(_files_under(folder))


def _unwanted_files(engine: Engine, folder: Path) -> Iterator[Path]:
    """Working copies of audio that is gone or of a way of looking that is, drafts that a killed process left,
    and the files of jobs that nobody knows.
    """
    known, kept = known_audio(engine), kept_jobs(engine)
    for name in ("audio", "peaks"):
        for path in _children(folder / name):
            if path.name[:_HASH] not in known and _is_old(path):
                yield path
    kinds = tuple(derived_kinds())
    for path in _children(folder / "find"):
        current = path.name.startswith(kinds) and path.stem[-_HASH:] in known
        if not current and _is_old(path):
            yield path
    yield from (path for path in _children(folder) if path.is_file() and _is_old(path))
    for job in _children(folder / "jobs"):
        if job.name not in kept and _is_old(job):
            yield from _files_under(job)


def _is_old(path: Path) -> bool:
    try:
        return time.time() - path.stat().st_mtime > _GRACE_S
    except OSError:
        return False


def _children(folder: Path) -> list[Path]:
    try:
        return sorted(folder.iterdir())
    except OSError:
        return []


def _files_under(folder: Path) -> Iterator[Path]:
    for where, _, names in os.walk(folder):
        yield from (Path(where) / name for name in names)


def _size(paths: Iterator[Path]) -> int:
    """The room these files take; what goes meanwhile takes none."""
    total = 0
    for path in paths:
        with suppress(OSError):
            total += path.stat().st_blocks * 512
    return total
