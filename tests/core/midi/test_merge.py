"""What was changed elsewhere becomes marks; bars are repeated; other MIDI comes in as parts."""

from __future__ import annotations

from collections.abc import Sequence
from io import BytesIO

import mido
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.decide.settings import FindSettings, Mark
from nubrak.core.decide.states import Decisions
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, decide_alone
from nubrak.core.midi.as_parts import parts_of, piece_of
from nubrak.core.midi.difference import midi_difference
from nubrak.core.midi.merge import Left, Proposal, proposals
from nubrak.core.midi.read import read_midi
from nubrak.core.midi.write import Track, midi_file
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.pieces.note_map import NoteMap
from nubrak.core.problem import Problem
from nubrak.core.session.document import Document, Part
from nubrak.core.session.edit import apply
from nubrak.core.session.marks import MarkChange
from nubrak.core.session.shape_edits import NoteByHand, SetNotes, TakeChanges
from nubrak.core.shape.notes import Notes, PatternNote, ShapeSettings, shape
from nubrak.core.shape.pattern import copied, repeated
from nubrak.core.tempo.tempo_map import Tempo
from tests.conftest import RATE_HZ, decaying_strokes

TIMES = [0.5, 1.02, 1.49, 2.03, 2.5, 2.98]
# The third is too soft to count under the threshold set here, so it stands as a candidate only.
FOUND = find_candidates(decaying_strokes(TIMES, [0.5, 0.25, 0.02, 0.3, 0.5, 0.28], length_s=4.0), RATE_HZ)
FIND = FindSettings(threshold_db=-24.0)
TEMPO = Tempo(bpm=120)
PATTERN = {"extra": PatternNote(time_s=3.5, velocity=60)}


def decided(marks: list[Mark]) -> Decisions:
    return decide_alone(PartInput("Snare", "snare", FOUND, FIND, marks))


def notes_of(marks: list[Mark], pattern: dict[str, PatternNote]) -> Notes:
    return shape(decided(marks), ShapeSettings(), marks, PIECES["snare"], TEMPO, list(pattern.values()))


def edited(
    notes: Notes,
    change: dict[int, tuple[float, int, int] | None],
    added: Sequence[tuple[float, int, int]] = (),
) -> list[Proposal]:
    """Proposals after the notes (by place) were changed to (time, velocity, note), deleted, and some added,
    in a file that left and came back.
    """
    kept = [place for place in range(len(notes)) if change.get(place, True) is not None]
    lines = [
        change.get(place) or (notes.time_s[place], int(notes.velocity[place]), int(notes.each_number[place]))
        for place in kept
    ] + list(added)
    lines.sort()
    back = Notes(
        np.array([line[0] for line in lines]),
        np.array([line[1] for line in lines]),
        38,
        10,
        0.1,
        np.array([line[2] for line in lines]),
    )
    read = read_midi(midi_file([Track("Snare", back)], TEMPO))
    found = midi_difference({"p": ("Snare", notes)}, read)
    return proposals(found.differences, {"p": Left(notes, decided([]), [], PATTERN)})


def meant(mark: Mark) -> MarkChange:
    """A proposed mark as what is meant of its place."""
    return MarkChange.model_validate(mark.model_dump(exclude_unset=True))


def taken(marks: dict[str, Mark], found: list[Proposal]) -> tuple[Part, str]:
    """A part after everything was taken, and what undo calls it."""
    document = Document(
        name="T", parts={"p": Part(piece="snare", place=0, sources=[], marks=marks, pattern=PATTERN)}
    )
    action = TakeChanges(
        kind="take_changes",
        marks={"p": {f"m{i}": meant(one.mark) for i, one in enumerate(found) if one.mark}},
        notes={"p": {one.note_id or f"n{i}": one.note for i, one in enumerate(found) if one.note}},
        remove={"p": [one.note_id for one in found if one.note_id and not one.note and not one.mark]},
    )
    after, label = apply(document, action)
    return after.parts["p"], label


def test_every_kind_of_change_comes_back_as_it_was_made() -> None:
    notes = notes_of([], PATTERN)
    assert np.allclose(notes.time_s, [0.5, 1.02, 2.03, 2.5, 2.98, 3.5], atol=0.0003)
    found = edited(notes, {0: (0.52, 115, 38), 1: (1.02, 40, 40), 2: None, 5: (3.6, 61, 38)}, [(3.2, 77, 38)])
    assert [one.kind for one in found] == ["changed", "changed", "deleted", "added", "changed"]
    part, label = taken({}, found)
    assert label == "Take 5 changes made elsewhere"
    marks = list(part.marks.values())
    made = shape(decided(marks), ShapeSettings(), marks, PIECES["snare"], TEMPO, list(part.pattern.values()))
    assert np.allclose(made.time_s, [0.52, 1.02, 2.5, 2.98, 3.2, 3.6], atol=0.0006)
    assert made.velocity[[0, 1, 4, 5]].tolist() == [115, 40, 77, 61] and made.each_number.tolist() == [
        38,
        40,
        38,
        38,
        38,
        38,
    ]


def test_a_note_added_on_a_quiet_candidate_keeps_the_stroke() -> None:
    found = edited(notes_of([], PATTERN), {}, [(1.491, 50, 38)])
    assert len(found) == 1 and found[0].mark is not None and found[0].mark.kind == "keep"
    assert found[0].mark.time_s == pytest.approx(1.49, abs=0.0005) and "candidate" in found[0].text


def test_nothing_changed_gives_nothing() -> None:
    assert edited(notes_of([], PATTERN), {}) == []


@settings(max_examples=25, deadline=None)
@given(
    st.dictionaries(
        st.integers(0, 4),
        st.one_of(st.none(), st.tuples(st.floats(-0.03, 0.03), st.integers(1, 127), st.integers(35, 60))),
        max_size=5,
    )
)
def test_taking_everything_makes_the_session_what_the_file_is(
    wild: dict[int, tuple[float, int, int] | None],
) -> None:
    notes = notes_of([], PATTERN)
    change = {
        place: None if to is None else (float(notes.time_s[place]) + to[0], to[1], to[2])
        for place, to in wild.items()
    }
    part, _ = (
        taken({}, edited(notes, change))
        if edited(notes, change)
        else (Part(piece="snare", place=0, sources=[], pattern=PATTERN), "")
    )
    marks = list(part.marks.values())
    made = shape(decided(marks), ShapeSettings(), marks, PIECES["snare"], TEMPO, list(part.pattern.values()))
    wanted = sorted(
        change.get(
            place, (float(notes.time_s[place]), int(notes.velocity[place]), int(notes.each_number[place]))
        )
        or ()
        for place in range(len(notes))
    )
    wanted = [line for line in wanted if line]
    assert len(made) == len(wanted)
    assert np.allclose(
        made.time_s, [line[0] for line in wanted], atol=0.0016
    )  # what is nearer than the file's own reach is no change
    assert made.velocity.tolist() == [line[1] for line in wanted] and made.each_number.tolist() == [
        line[2] for line in wanted
    ]


def test_setting_a_note_by_hand_keeps_what_the_stroke_was() -> None:
    marks = {"a": Mark(kind="add", time_s=3.3), "m": Mark(kind="keep", time_s=0.5, to_s=0.51)}
    document = Document(name="T", parts={"p": Part(piece="snare", place=0, sources=[], marks=marks)})
    by_hand = {
        "x": NoteByHand(time_s=3.3, velocity=20),
        "y": NoteByHand(time_s=0.5, velocity=30),
        "z": NoteByHand(time_s=2.03, note=40),
    }
    after, label = apply(document, SetNotes(kind="set_notes", part_id="p", notes=by_hand))
    assert label == "Snare: 3 notes by hand"
    now = after.parts["p"].marks
    assert now["a"] == Mark(kind="add", time_s=3.3, velocity=20) and now["m"] == Mark(
        kind="keep", time_s=0.5, to_s=0.51, velocity=30
    )
    assert now["z"] == Mark(kind="keep", time_s=2.03, note=40)
    back, _ = apply(
        after, SetNotes(kind="set_notes", part_id="p", notes={"x": NoteByHand(time_s=3.3, velocity=None)})
    )
    assert back.parts["p"].marks["a"] == Mark(kind="add", time_s=3.3)


def test_a_bar_repeated_stands_bar_by_bar_behind_itself() -> None:
    notes = notes_of([], {})
    made = repeated(notes, TEMPO, 0.0, 2.0, 3)
    assert np.allclose([note.time_s for note in made], [2.5, 3.02, 4.5, 5.02, 6.5, 7.02], atol=0.0003)
    assert [note.velocity for note in made[:2]] == notes.velocity[:2].tolist() and made[0].note is None


def test_a_copy_follows_the_tempo_where_it_lands() -> None:
    tempo = Tempo.model_validate({"bpm": 120, "changes": [{"time_s": 4.0, "bpm": 60}]})
    notes = Notes(np.array([0.0, 0.5, 1.0]), np.array([100, 90, 80]), 38, 10, 0.5)
    assert np.allclose(
        [note.time_s for note in copied(notes, tempo, 0.0, 2.0, [4.0])], [4.0, 5.0, 6.0]
    )  # a beat is a second there


def test_repeating_without_end_is_refused() -> None:
    notes = Notes(np.linspace(0, 1.9, 400), np.full(400, 100), 38, 10, 0.5)
    with pytest.raises(Problem, match="notes at once"):
        repeated(notes, TEMPO, 0.0, 2.0, 1000)


def test_a_file_from_elsewhere_becomes_a_part_for_each_piece() -> None:
    file = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    for note in (36, 38, 42, 46, 99):
        track.append(
            mido.Message("note_on", channel=9, note=note, velocity=90, time=0 if note == 36 else 480)
        )
        track.append(mido.Message("note_off", channel=9, note=note, time=0))
    file.tracks.append(track)
    buffer = BytesIO()
    file.save(file=buffer)
    found = {one.piece: one.notes for one in parts_of(read_midi(buffer.getvalue()), NoteMap())}
    assert list(found) == ["kick", "snare", "hi-hat", "else"]
    assert [note.time_s for note in found["hi-hat"]] == [1.0, 1.5] and [
        note.note for note in found["hi-hat"]
    ] == [None, 46]
    assert found["else"][0].note == 99


def test_the_own_map_says_which_piece_a_note_is() -> None:
    own = NoteMap(name="Own", notes={"crash": 24})
    assert piece_of(24, own) == "crash" and piece_of(40, own) == "snare" and piece_of(1, own) == "else"
