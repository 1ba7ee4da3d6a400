"""Note maps kept for every session."""

from __future__ import annotations

import pytest
from sqlalchemy import Engine

from nubrak.core.pieces import NoteMap
from nubrak.core.problem import Problem
from nubrak.store.notemaps import forget_note_map, keep_note_map, kept_note_maps


def test_a_map_is_kept_under_its_name_and_a_newer_one_takes_its_place(engine: Engine) -> None:
    keep_note_map(engine, NoteMap(name="Stage left", notes={"kick": 40}))
    keep_note_map(engine, NoteMap(name="Attic", notes={"snare": 39}))
    keep_note_map(engine, NoteMap(name="Stage left", notes={"kick": 41}))
    kept = {one.name: one for one in kept_note_maps(engine)}
    assert kept["Stage left"].notes == {"kick": 41} and kept["Attic"].notes == {"snare": 39}
    assert list(kept) == sorted(kept)
    forget_note_map(engine, "Attic")
    assert "Attic" not in {one.name for one in kept_note_maps(engine)}
    with pytest.raises(Problem):
        forget_note_map(engine, "Attic")
    forget_note_map(engine, "Stage left")
