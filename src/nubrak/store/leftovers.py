"""What the database holds that nothing refers to any more.

References are found by the words themselves: every content hash that stands anywhere in a session, in what
undo and redo would bring back, in a kit, or in a print or archive under way keeps its audio.
"""

from __future__ import annotations

from collections.abc import Iterable

import psycopg
from sqlalchemy import Engine, text

_GRACE = "1 hour"  # what came in so lately may be on its way into a session
_WANTED = """
    SELECT found[1] AS hash FROM (
        SELECT regexp_matches(document::text, '[0-9a-f]{64}', 'g') AS found FROM session
        UNION ALL SELECT regexp_matches(forward::text, '[0-9a-f]{64}', 'g') FROM edit
        UNION ALL SELECT regexp_matches(backward::text, '[0-9a-f]{64}', 'g') FROM edit
        UNION ALL SELECT regexp_matches(document::text, '[0-9a-f]{64}', 'g') FROM kit
        UNION ALL SELECT regexp_matches(asked::text, '[0-9a-f]{64}', 'g') FROM job
            WHERE said IS NULL AND problem IS NULL
    ) AS every
"""
_UNWANTED = f"""
    FROM audio WHERE stored < now() - CAST(:grace AS interval) AND NOT EXISTS (
        SELECT 1 FROM ({_WANTED}) AS wanted WHERE wanted.hash = audio.hash
    )
"""
# The end of a key is the hash it was derived from.
_WITHOUT_AUDIO = "FROM {} WHERE NOT EXISTS (SELECT 1 FROM audio WHERE audio.hash = right({}, 64))"
_TABLES = ("audio_chunk", "audio", "derived", "edit", "progress")


def database_bytes(engine: Engine) -> int:
    """How much room the database takes on the disk."""
    with engine.connect() as connection:
        return int(connection.scalar(text("SELECT pg_database_size(current_database())")) or 0)


def unwanted_bytes(engine: Engine, kinds: Iterable[str], grace: str = _GRACE) -> int:
    """How much of it nothing refers to: audio, and what was derived from it or by an older way of looking;
    ``kinds`` are the beginnings of keys that are read today.
    """
    with engine.connect() as connection:
        audio = connection.scalar(text(f"SELECT sum(size) {_UNWANTED}"), {"grace": grace})
        derived = connection.scalar(
            text(f"SELECT sum(length(data)) {_derived_unwanted()}"), {"kinds": _patterns(kinds)}
        )
        return int(audio or 0) + int(derived or 0)


def forget_unwanted(engine: Engine, kinds: Iterable[str], grace: str = _GRACE) -> None:
    """Delete it. A file that comes in again meanwhile is stored anew or kept, never half of it."""
    with engine.begin() as connection:
        connection.execute(text(f"DELETE {_UNWANTED}"), {"grace": grace})
        connection.execute(text(f"DELETE {_derived_unwanted()}"), {"kinds": _patterns(kinds)})
        connection.execute(text("DELETE " + _WITHOUT_AUDIO.format("progress", "progress.audio")))


def known_audio(engine: Engine) -> set[str]:
    """The hashes of all audio that is stored."""
    with engine.connect() as connection:
        return set(connection.scalars(text("SELECT hash FROM audio")))


def give_back(url: str, whole: bool) -> None:
    """Give the room of deleted rows back: to new rows, and with ``whole`` to the disk, for which what is left
    is written once more.
    """
    how = "VACUUM (FULL)" if whole else "VACUUM"
    with psycopg.connect(url, autocommit=True) as connection:
        for table in _TABLES:
            connection.execute(f"{how} {table}".encode())


def _derived_unwanted() -> str:
    return _WITHOUT_AUDIO.format("derived", "derived.key") + " OR NOT (key LIKE ANY (:kinds))"


def _patterns(kinds: Iterable[str]) -> list[str]:
    return [kind.replace("_", r"\_") + "%" for kind in kinds]
