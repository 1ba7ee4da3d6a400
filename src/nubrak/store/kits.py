"""The library of kits."""

from __future__ import annotations

from sqlalchemy import Engine, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session as Db

from nubrak.core.kit import Kit
from nubrak.store.tables import KitRow


def put_kit(engine: Engine, kit_id: str, kit: Kit) -> None:
    """Keep a kit, in place of an older one with the same id."""
    values = {"document": kit.model_dump(mode="json")}
    with Db(engine) as db, db.begin():
        db.execute(insert(KitRow).values(id=kit_id, **values).on_conflict_do_update(index_elements=["id"], set_=values))


def all_kits(engine: Engine) -> dict[str, Kit]:
    """Every kit by id."""
    with Db(engine) as db:
        return {row.id: Kit.model_validate(row.document) for row in db.scalars(select(KitRow).order_by(KitRow.id))}
