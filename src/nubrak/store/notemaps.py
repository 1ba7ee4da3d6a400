"""Note maps that are kept for every session."""

from __future__ import annotations

from sqlalchemy import Engine

from nubrak.core.pieces import NoteMap
from nubrak.store.kept import forget, keep, kept
from nubrak.store.tables import NoteMapRow


def keep_note_map(engine: Engine, note_map: NoteMap) -> None:
    """Keep a map under its name, in place of an older one of that name."""
    keep(engine, NoteMapRow, note_map.name, note_map.model_dump(mode="json"))


def kept_note_maps(engine: Engine) -> list[NoteMap]:
    """Every kept map, by name."""
    return [NoteMap.model_validate(one) for one in kept(engine, NoteMapRow)]


def forget_note_map(engine: Engine, name: str) -> None:
    """Forget a kept map; sessions that use it keep their own copy."""
    forget(engine, NoteMapRow, name, "note map")
