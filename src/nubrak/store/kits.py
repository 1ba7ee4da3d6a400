"""The library of kits."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Iterable

import structlog
from pydantic import ValidationError
from sqlalchemy import Engine, delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session as Db

from nubrak.core.problem import Problem
from nubrak.core.samples import MOST_INSTRUMENTS, STARTER, Instrument, Kit
from nubrak.store.tables import AudioRow, KitRow

log = structlog.get_logger()


def put_kit(engine: Engine, kit_id: str, kit: Kit) -> None:
    """Keep a kit, in place of an older one with the same id."""
    values = {"document": kit.model_dump(mode="json")}
    with Db(engine) as db, db.begin():
        db.execute(
            insert(KitRow)
            .values(id=kit_id, **values)
            .on_conflict_do_update(index_elements=["id"], set_=values)
        )


def all_kits(engine: Engine) -> dict[str, Kit]:
    """Every kit by id: the starter kit first, the others by name."""
    with Db(engine) as db:
        rows = db.scalars(select(KitRow)).all()
    kits = {row.id: kit for row in rows if (kit := _readable(row)) is not None}
    return dict(sorted(kits.items(), key=lambda one: (one[0] != STARTER, one[1].name.casefold(), one[0])))


def _readable(row: KitRow) -> Kit | None:
    """The kit of a row; None, and a line in the log, where it cannot be read: the others stay in reach."""
    try:
        return Kit.model_validate(row.document)
    except ValidationError as error:
        log.error("a kit cannot be read", kit=row.id, error=str(error))
        return None


def kit_of(engine: Engine, kit_id: str) -> Kit:
    """One kit; a ``Problem`` where there is none."""
    with Db(engine) as db:
        row = db.get(KitRow, kit_id)
    if row is None:
        raise _no_kit()
    return Kit.model_validate(row.document)


def _does_not_fit(kit: Kit, error: ValidationError) -> Problem:
    if len(kit.instruments) > MOST_INSTRUMENTS:
        return Problem(
            f"A kit holds at most {MOST_INSTRUMENTS} instruments.",
            "The kit is as it was.",
            "Begin another kit for the rest.",
        )
    return Problem(f"The kit cannot be kept: {error.errors()[0]['msg'].lower()}.", "The kit is as it was.")


def new_kit(engine: Engine, kit: Kit) -> str:
    """Keep a new kit; its id."""
    kit_id = secrets.token_hex(8)
    put_kit(engine, kit_id, kit)
    return kit_id


def change_kit(engine: Engine, kit_id: str, change: Callable[[Kit], Kit]) -> Kit:
    """Change a kit; what two windows change at once is done one after the other."""
    with Db(engine) as db, db.begin():
        row = db.get(KitRow, kit_id, with_for_update=True)
        if row is None:
            raise _no_kit()
        changed = change(Kit.model_validate(row.document))
        try:
            kit = Kit.model_validate(changed.model_dump())
        except ValidationError as error:
            raise _does_not_fit(changed, error) from error
        row.document = kit.model_dump(mode="json")
        return kit


def remove_kit(engine: Engine, kit_id: str) -> None:
    """Delete a kit. Its samples stay where sessions use them."""
    with Db(engine) as db, db.begin():
        if db.execute(delete(KitRow).where(KitRow.id == kit_id).returning(KitRow.id)).scalar() is None:
            raise _no_kit()


def with_instruments(kit: Kit, instruments: Iterable[Instrument]) -> Kit:
    """A kit with further instruments."""
    return kit.model_copy(
        update={"instruments": kit.instruments | {secrets.token_hex(5): one for one in instruments}}
    )


def audio_is_here(engine: Engine, instruments: Iterable[Instrument]) -> None:
    """Refuse instruments that speak of audio the store does not have."""
    wanted = {sample.audio for instrument in instruments for sample in instrument.samples}
    with Db(engine) as db:
        known = db.scalars(select(AudioRow.hash).where(AudioRow.hash.in_(wanted))).all()
    if len(known) < len(wanted):
        raise Problem("This audio is not in the store.", todo="Drop the file once more.", kind="missing")


def _no_kit() -> Problem:
    return Problem("This kit is not in the library any more.", todo="Choose another.", kind="missing")
