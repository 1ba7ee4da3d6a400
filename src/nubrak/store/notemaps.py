"""Note maps that are kept for every session."""

from __future__ import annotations

from sqlalchemy import Engine, delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session as Db

from nubrak.core.pieces import NoteMap
from nubrak.core.problem import Problem
from nubrak.store.tables import NoteMapRow


def keep_note_map(engine: Engine, note_map: NoteMap) -> None:
    """Keep a map under its name, in place of an older one of that name."""
    values = {"document": note_map.model_dump(mode="json")}
    with Db(engine) as db, db.begin():
        db.execute(
            insert(NoteMapRow)
            .values(name=note_map.name, **values)
            .on_conflict_do_update(index_elements=["name"], set_=values)
        )


def kept_note_maps(engine: Engine) -> list[NoteMap]:
    """Every kept map, by name."""
    with Db(engine) as db:
        return [
            NoteMap.model_validate(row.document)
            for row in db.scalars(select(NoteMapRow).order_by(NoteMapRow.name))
        ]


def forget_note_map(engine: Engine, name: str) -> None:
    """Forget a kept map; sessions that use it keep their own copy."""
    with Db(engine) as db, db.begin():
        if not db.execute(delete(NoteMapRow).where(NoteMapRow.name == name).returning(NoteMapRow.name)).all():
            raise Problem(f"There is no note map “{name}” any more.", kind="missing")
