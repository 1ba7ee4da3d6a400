"""How far the analysis of each file is, for windows that are open and for those that open later."""

from __future__ import annotations

from sqlalchemy import Engine, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session as Db

from nubrak.store.sessions import CHANNEL
from nubrak.store.tables import ProgressRow


def report(engine: Engine, audio: str, share: float, problem: str | None = None) -> None:
    """Say how far a file is, 0 to 1, and what went wrong. What went wrong before stands until the end."""
    values: dict[str, object] = {"share": share}
    if problem is not None or share >= 1.0:
        values["problem"] = problem
    with Db(engine) as db, db.begin():
        _put(db, audio, {"share": share} | values)
        db.execute(
            text("SELECT pg_notify(:channel, :message)"),
            {"channel": CHANNEL, "message": f"audio {audio} {share:.2f}"},
        )


def cancelled_of(engine: Engine, audio: list[str]) -> set[str]:
    """Those of these files whose analysis a person has cancelled."""
    with Db(engine) as db:
        asked = select(ProgressRow.audio).where(ProgressRow.audio.in_(audio), ProgressRow.cancelled)
        return set(db.scalars(asked).all())


def cancel(engine: Engine, audio: list[str], off: bool) -> None:
    """Cancel the analysis of files, or take it up again; what is found already stays."""
    with Db(engine) as db, db.begin():
        for key in sorted(set(audio)):
            _put(db, key, {"cancelled": off, "problem": None}, new={"share": 0.0})
            db.execute(
                text("SELECT pg_notify(:channel, :message)"),
                {"channel": CHANNEL, "message": f"audio {key} 0.00"},
            )


def progress_of(engine: Engine, audio: list[str]) -> tuple[float, str | None]:
    """How far these files are together, 0 to 1, and what went wrong."""
    if not audio:
        return 1.0, None
    with Db(engine) as db:
        rows = db.scalars(select(ProgressRow).where(ProgressRow.audio.in_(audio))).all()
    share = sum(min(row.share, 0.99) for row in rows) / len(audio)
    if any(row.cancelled for row in rows):
        return share, "Looking for strokes was cancelled. The recording is kept."
    return share, next((row.problem for row in rows if row.problem), None)


def _put(db: Db, audio: str, values: dict[str, object], new: dict[str, object] | None = None) -> None:
    db.execute(
        insert(ProgressRow)
        .values(audio=audio, **((new or {}) | values))
        .on_conflict_do_update(index_elements=["audio"], set_=values)
    )
