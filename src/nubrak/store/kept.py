"""What is kept under a name for every session, in tables of their own: a name, and what it names as JSON."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Engine, delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session as Db

from nubrak.core.problem import Problem
from nubrak.store.tables import ChainRow, NoteMapRow

KeptRow = type[ChainRow] | type[NoteMapRow]


def keep(engine: Engine, row: KeptRow, name: str, document: dict[str, Any]) -> None:
    """Keep something under its name, in place of what had that name."""
    with Db(engine) as db, db.begin():
        db.execute(
            insert(row)
            .values(name=name, document=document)
            .on_conflict_do_update(index_elements=["name"], set_={"document": document})
        )


def kept(engine: Engine, row: KeptRow) -> list[dict[str, Any]]:
    """Everything that is kept there, by name."""
    with Db(engine) as db:
        return list(db.scalars(select(row.document).order_by(row.name)))


def forget(engine: Engine, row: KeptRow, name: str, what: str) -> None:
    """Forget it; sessions that use it keep their own copy. A ``Problem`` where it is not there."""
    with Db(engine) as db, db.begin():
        if not db.execute(delete(row).where(row.name == name).returning(row.name)).all():
            raise Problem(f"There is no {what} “{name}” any more.", kind="missing")
