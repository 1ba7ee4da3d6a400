"""What live playing gave, as it was decided then, and what was learnt of a kit before."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Engine, delete, insert, select
from sqlalchemy.dialects.postgresql import insert as put
from sqlalchemy.orm import Session as Db

from nubrak.core.problem import Problem
from nubrak.store.tables import CalibrationRow, LiveTakeRow


def keep_live_take(engine: Engine, take_id: str, session_id: str, document: dict[str, Any]) -> None:
    """Keep a stretch of live playing."""
    with Db(engine) as db, db.begin():
        db.execute(insert(LiveTakeRow).values(id=take_id, session_id=session_id, document=document))


def live_takes(engine: Engine, session_id: str) -> list[tuple[str, dict[str, Any]]]:
    """Every stretch of a session's live playing with its id, the newest first."""
    with Db(engine) as db:
        rows = db.scalars(
            select(LiveTakeRow).where(LiveTakeRow.session_id == session_id).order_by(LiveTakeRow.made.desc())
        )
        return [(row.id, row.document) for row in rows]


def live_take(engine: Engine, session_id: str, take_id: str) -> dict[str, Any]:
    """One stretch of live playing; a ``Problem`` where it is not there."""
    with Db(engine) as db:
        row = db.get(LiveTakeRow, take_id)
        if row is None or row.session_id != session_id:
            raise Problem("This take is not in the session.", todo="Choose another one.", kind="missing")
        return dict(row.document)


def forget_live_take(engine: Engine, session_id: str, take_id: str) -> None:
    """Forget a stretch of live playing."""
    with Db(engine) as db, db.begin():
        db.execute(delete(LiveTakeRow).where(LiveTakeRow.id == take_id, LiveTakeRow.session_id == session_id))


def keep_calibration(engine: Engine, session_id: str, of: str, data: bytes) -> None:
    """Keep what was learnt, in place of what was learnt of the same before."""
    with Db(engine) as db, db.begin():
        row = put(CalibrationRow).values(session_id=session_id, of=of, data=data)
        db.execute(row.on_conflict_do_update(index_elements=["session_id", "of"], set_={"data": data}))


def calibration(engine: Engine, session_id: str, of: str) -> bytes | None:
    """What was learnt of it; None where nothing was."""
    with Db(engine) as db:
        return db.scalar(
            select(CalibrationRow.data).where(
                CalibrationRow.session_id == session_id, CalibrationRow.of == of
            )
        )
