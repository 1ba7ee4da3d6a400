"""Recordings that are coming in: every lot of frames is kept before it is acknowledged, so that what came in
outlives whatever happens to page or server.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Engine, delete, func, insert, select, update
from sqlalchemy.orm import Session as Db

from nubrak.core.problem import Problem
from nubrak.store.tables import StreamChunkRow, StreamRow


@dataclass(frozen=True)
class Stream:
    """One recording as far as it came in: the session it belongs to, what it is to become, and how many
    frames of it are kept.
    """

    id: str
    session_id: str
    document: dict[str, Any]
    frames: int


def begin_stream(engine: Engine, stream_id: str, session_id: str, document: dict[str, Any]) -> None:
    """A recording that begins."""
    with Db(engine) as db, db.begin():
        db.execute(insert(StreamRow).values(id=stream_id, session_id=session_id, document=document))


def keep_frames(engine: Engine, stream_id: str, first_frame: int, data: bytes, frames: int) -> int:
    """Keep some frames of a recording; how many there are then. They must follow on what is kept."""
    with Db(engine) as db, db.begin():
        kept = db.scalar(select(StreamRow.frames).where(StreamRow.id == stream_id).with_for_update())
        if kept is None:
            raise _gone()
        if first_frame != kept:
            raise Problem(
                f"Frames from {first_frame} came where {kept} were kept.",
                kept="What came in before is kept.",
                todo="Send them again from there.",
            )
        db.execute(insert(StreamChunkRow).values(stream_id=stream_id, first_frame=first_frame, data=data))
        db.execute(
            update(StreamRow)
            .where(StreamRow.id == stream_id)
            .values(frames=kept + frames, touched=func.now())
        )
        return int(kept + frames)


def stream_of(engine: Engine, stream_id: str) -> Stream:
    """One recording; a ``Problem`` where it is not there any more."""
    with Db(engine) as db:
        row = db.get(StreamRow, stream_id)
        if row is None:
            raise _gone()
        return Stream(row.id, row.session_id, row.document, row.frames)


def streams_of(engine: Engine, session_id: str) -> list[Stream]:
    """What is coming into a session, or was cut off, the oldest first."""
    with Db(engine) as db:
        rows = db.scalars(
            select(StreamRow).where(StreamRow.session_id == session_id).order_by(StreamRow.touched)
        )
        return [Stream(row.id, row.session_id, row.document, row.frames) for row in rows]


def frames_of(engine: Engine, stream_id: str) -> Iterator[bytes]:
    """The frames of a recording, lot by lot."""
    with Db(engine) as db:
        rows = db.execute(
            select(StreamChunkRow.data)
            .where(StreamChunkRow.stream_id == stream_id)
            .order_by(StreamChunkRow.first_frame)
            .execution_options(yield_per=8)
        )
        for (data,) in rows:
            yield data


def forget_stream(engine: Engine, stream_id: str) -> None:
    """Forget a recording that was taken in."""
    with Db(engine) as db, db.begin():
        db.execute(delete(StreamRow).where(StreamRow.id == stream_id))


def _gone() -> Problem:
    return Problem(
        "This recording is not coming in any more.",
        "What came in is kept as a take.",
        "Begin another one.",
        kind="missing",
    )
