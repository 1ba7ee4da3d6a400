"""Audio files by content hash, in chunks, so that none ever sits in memory whole."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from pathlib import Path

import psycopg
from sqlalchemy import Engine, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session as Db

from nubrak.core.gather import AudioFacts
from nubrak.core.problem import Problem
from nubrak.store.tables import AudioRow, ChunkRow

CHUNK_BYTES = 1 << 20  # of a file in one row: PostgreSQL handles a megabyte well


def hash_of(path: Path) -> str:
    """SHA-256 of a file's bytes, in hexadecimal."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def put_audio(engine: Engine, path: Path, name: str, facts: AudioFacts) -> str:
    """Store a file; all of it or nothing. The same bytes are stored once. Returns the hash."""
    key = hash_of(path)
    with Db(engine) as db, db.begin():
        # What was here already is as if it had just come in, so that nothing sweeps it away meanwhile.
        put = insert(AudioRow).values(hash=key, name=name, size=path.stat().st_size, facts=facts.model_dump())
        db.execute(put.on_conflict_do_update(index_elements=[AudioRow.hash], set_={"stored": func.now()}))
        here = select(ChunkRow.number).where(ChunkRow.hash == key).limit(1)
        if db.scalar(here) is None:
            with path.open("rb") as file:
                for number, data in enumerate(iter(lambda: file.read(CHUNK_BYTES), b"")):
                    db.execute(insert(ChunkRow).values(hash=key, number=number, data=data))
    return key


def facts_of(engine: Engine, key: str) -> AudioFacts:
    """What is known of a stored file; a ``Problem`` where there is none."""
    with Db(engine) as db:
        facts = db.scalar(select(AudioRow.facts).where(AudioRow.hash == key))
    if facts is None:
        raise Problem("This audio is not in the store.", kind="missing")
    return AudioFacts.model_validate(facts)


def name_of(engine: Engine, key: str) -> str:
    """What a stored file was called when it came in first."""
    with Db(engine) as db:
        return str(db.scalar(select(AudioRow.name).where(AudioRow.hash == key)) or key)


def chunks_of(url: str, key: str) -> Iterator[bytes]:
    """The bytes of a stored file, chunk by chunk, over a connection in binary format."""
    with psycopg.connect(url) as connection, connection.cursor(name="chunks", binary=True) as cursor:
        cursor.itersize = 8
        cursor.execute("SELECT data FROM audio_chunk WHERE hash = %s ORDER BY number", (key,))
        for (data,) in cursor:
            yield data


def write_chunks(chunks: Iterable[bytes], path: Path) -> None:
    """Chunks to a file."""
    with path.open("wb") as file:
        for chunk in chunks:
            file.write(chunk)
