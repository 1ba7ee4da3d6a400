"""All parts at a glance."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.pieces import NoteMap
from nubrak.core.session.shape_edits import SetNoteMap, SetShape
from nubrak.desk.desk import Desk
from nubrak.desk.overview import overview_of
from tests.desk.conftest import STRUCK_S, Drop


def test_a_part_with_its_notes_and_how_far_it_is(desk: Desk, kick: tuple[str, str]) -> None:
    (line,) = overview_of(desk, kick[0]).parts
    assert line.time_s == pytest.approx(STRUCK_S, abs=0.001)
    assert (line.name, line.progress, line.problem, line.by_hand) == ("Kick", 1.0, None, 0)


def test_what_a_part_is_written_as_follows_its_map_and_its_own_word(
    desk: Desk, kick: tuple[str, str]
) -> None:
    session, part_id = kick
    assert overview_of(desk, session).parts[0].note == 36  # General MIDI: bass drum 1
    own = NoteMap(name="Own", notes={"kick": 50})
    desk.sessions.edit(session, None, SetNoteMap(kind="set_note_map", note_map=own))
    assert overview_of(desk, session).parts[0].note == 50
    desk.sessions.edit(session, None, SetShape(kind="set_shape", part_id=part_id, changes={"note": 61}))
    assert overview_of(desk, session).parts[0].note == 61


def test_a_recording_that_is_not_looked_through_yet_says_how_far_it_is(
    desk: Desk, kick: tuple[str, str], drop: Drop, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tests.desk.conftest.analyse_audio", lambda *_: None)
    drop(kick[0], "snare.wav", 0.5 * np.random.default_rng(1).standard_normal(44100))
    lines = {line.name: line for line in overview_of(desk, kick[0]).parts}
    assert lines["Snare"].progress < 1 and lines["Kick"].progress == 1
    assert lines["Kick"].time_s, "what is heard already stands on the staff"
    assert not lines["Snare"].time_s
