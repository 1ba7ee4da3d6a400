"""What was changed elsewhere becomes marks; bars are repeated; other MIDI comes in as parts."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.decide.settings import Mark
from nubrak.core.midi.difference import midi_difference
from nubrak.core.midi.merge import Left, Proposal, proposals
from nubrak.core.midi.read import read_midi
from nubrak.core.midi.write import Track, midi_file
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.session.document import Document, Part
from nubrak.core.session.edit import apply
from nubrak.core.session.marks import MarkChange
from nubrak.core.session.shape_edits import TakeChanges
from nubrak.core.shape.notes import Notes, PatternNote, ShapeSettings, shape
from tests.core.midi.snare import TEMPO, decided, notes_of

# The third is too soft to count under the threshold set here, so it stands as a candidate only.
PATTERN = {"extra": PatternNote(time_s=3.5, velocity=60)}


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
