"""What Shape is answered with, and what it does."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.pieces import NoteMap
from nubrak.core.problem import Problem
from nubrak.core.session.gather_edits import SetTempo
from nubrak.core.session.shape_edits import SetNoteMap, SetShape
from nubrak.core.shape import ShapeSettings
from nubrak.core.tempo import Grid
from nubrak.desk.coming_back import parts_from_list
from nubrak.desk.desk import Desk
from nubrak.desk.shaping import (
    AskShape,
    live_notes,
    note_map_from,
    note_table,
    repeat_stretch,
    same,
    shape_columns,
    take_feel,
)
from tests.desk.conftest import STRUCK_S, Drop

Kick = tuple[str, str]


def in_tempo(desk: Desk, session: str) -> int:
    action = SetTempo(kind="set_tempo", changes={"bpm": 120.0, "bar_one_s": 0.25})
    return desk.sessions.edit(session, None, action).revision


def test_before_is_as_played_and_after_as_shaped(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    changes = {"note": 41}
    desk.sessions.edit(session, None, SetShape(kind="set_shape", part_id=part_id, changes=changes))
    standing = desk.standing(session)
    after, before = (shape_columns(standing, part_id, AskShape(before=one)) for one in (False, True))
    assert before.struck_s == pytest.approx(STRUCK_S, abs=0.001) and before.note == after.note == [41] * 4
    tried = shape_columns(standing, part_id, AskShape(shape=ShapeSettings(note=60)))
    assert tried.note == [60] * 4 and desk.sessions.get(session).document.parts[part_id].shape.note == 41


def test_a_feel_needs_a_tempo_and_a_part_that_plays(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    with pytest.raises(Problem):
        take_feel(desk, session, desk.sessions.revision(session), part_id, "Lamp", Grid())
    revision = in_tempo(desk, session)
    (feel,) = take_feel(desk, session, revision, part_id, "Lamp", Grid(step=4)).document.feels.values()
    assert feel.name == "Lamp" and sum(step.count for step in feel.steps) == 4
    assert max(abs(step.late_ms) for step in feel.steps) < 1.5


def test_a_stretch_is_repeated_beside_the_recorded_notes_and_not_twice(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    revision = in_tempo(desk, session)
    state = repeat_stretch(desk, session, revision, part_id, (0.25, 2.25), 1, None)
    added = sorted(note.time_s for note in state.document.parts[part_id].pattern.values())
    assert added == pytest.approx([one + 2 for one in STRUCK_S], abs=0.002)
    with pytest.raises(Problem) as said:
        repeat_stretch(desk, session, state.revision, part_id, (0.25, 2.25), 1, None)
    assert "already" in said.value.what
    for span_s, words in (((0.5, 0.505), "empty"), ((0.3, 0.6), "no notes")):
        with pytest.raises(Problem) as said:
            repeat_stretch(desk, session, state.revision, part_id, span_s, 1, None)
        assert words in said.value.what


def test_one_recorded_sound_set_again_and_again_is_told_as_programmed(
    desk: Desk, session: str, drop: Drop
) -> None:
    rng = np.random.default_rng(4)
    sounds = [
        rng.standard_normal(6000) * np.exp(-np.arange(6000) / 900),
        rng.standard_normal(6000) * np.exp(-np.arange(6000) / 700),
    ]
    audio = np.zeros(44100 * 7)
    for number in range(12):
        begin = 10000 + 22050 * number
        audio[begin : begin + 6000] += 0.2 * sounds[number % 2]
    state = drop(session, "snare.wav", audio)
    found = same(desk, desk.standing(session), next(iter(state.document.parts)))
    assert found.programmed and len(found.group) == 12
    assert len(set(found.group[::2])) == len(set(found.group[1::2])) == 1
    assert found.group[0] != found.group[1] and -1 not in found.group


def test_notes_to_send_come_in_order_of_time(desk: Desk, kick: Kick, drop: Drop) -> None:
    from tests.conftest import decaying_strokes

    session, _ = kick
    drop(session, "snare.wav", decaying_strokes([0.5, 1.0, 1.5], [0.7, 0.6, 0.6], 2.2, seed=6))
    standing = desk.standing(session)
    notes = live_notes(standing, list(standing.document.parts), before=False)
    assert notes.time_s == sorted(notes.time_s) and len(notes.time_s) == 7
    assert set(zip(notes.note, notes.channel, strict=True)) == {(36, 10), (38, 10)}
    assert live_notes(standing, [], before=False).time_s == []


def test_note_maps_are_read_by_their_files_name_and_shown_line_by_line() -> None:
    read = note_map_from(b"piece,note\r\nkick,40\r\nzither,1\r\n", "Own kit.csv")
    assert read.note_map.name == "Own kit" and len(read.skipped) == 1


def test_a_session_s_notes_stand_part_by_part_with_the_ways_of_striking(
    desk: Desk, kick: Kick, drop: Drop
) -> None:
    from tests.conftest import decaying_strokes

    session, _ = kick
    for name in ("snare.wav", "second snare.wav", "hat.wav"):
        drop(session, name, decaying_strokes([0.5, 1.0, 1.5], [0.7, 0.6, 0.6], 2.2, seed=len(name)))
    table = {line.name: line for line in note_table(desk.standing(session)).lines}
    assert [(line.key, line.note) for line in table.values()] == [
        ("kick", 36),
        ("snare", 38),
        ("snare/side", 37),
        (None, 40),
        ("hi-hat", 42),
        ("hi-hat/half", 46),
        ("hi-hat/open", 46),
        ("hi-hat/pedal", 44),
    ]
    assert table["Snare 2"].called == "Electric snare"
    assert set(desk.standing(session).notes(table["Snare 2"].part_id or "").each_number) == {40}
    a_map = NoteMap(name="Own", notes={"hi-hat/half": 26, "snare/side": 60})
    desk.sessions.edit(session, None, SetNoteMap(kind="set_note_map", note_map=a_map))
    moved = {line.key: line.note for line in note_table(desk.standing(session)).lines}
    assert (moved["hi-hat/half"], moved["hi-hat/open"], moved["snare/side"]) == (26, 46, 60)


def test_notes_that_a_file_brings_keep_their_numbers_beside_a_part_of_their_piece(
    desk: Desk, kick: Kick
) -> None:
    session, _ = kick
    table = b"part,piece,time_s,velocity,note\r\nKick,kick,1.0,90,36\r\nKick,kick,2.0,90,35\r\n"
    state = parts_from_list(desk, session, desk.sessions.revision(session), table)
    (part_id,) = [key for key, part in state.document.parts.items() if part.pattern]
    assert desk.standing(session).notes(part_id).each_number.tolist() == [36, 35]
