"""A second mark changes only what it speaks of; what a hand has set outlives every later word."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.decide.settings import Mark
from nubrak.core.session.document import Document, Part
from nubrak.core.session.edit import apply
from nubrak.core.session.find_edits import SetMark
from nubrak.core.session.marks import NEAR_S, MarkChange, MarksAtPlaces, take_marks
from nubrak.core.session.shape_edits import NoteByHand, SetNotes

SET = {"to_s": 1.01, "velocity": 90, "note": 40, "note_s": 1.02}
by_hand = st.fixed_dictionaries(
    {},
    optional={
        "kind": st.sampled_from(["keep", "drop"]),
        "to_s": st.floats(0, 10),
        "velocity": st.integers(1, 127),
        "note": st.integers(0, 127),
        "note_s": st.floats(0, 10),
    },
)


def after(*changes: dict[str, object]) -> Mark:
    """The mark of a stroke at 1 s after all this has been said of it."""
    marks: dict[str, Mark] = {}
    for number, change in enumerate(changes):
        take_marks(marks, {f"m{number}": MarkChange.model_validate({"time_s": 1.0} | change)})
    [mark] = marks.values()
    return mark


@pytest.mark.parametrize("kind", ["keep", "drop"])
def test_keeping_or_dropping_wipes_nothing_set_by_hand(kind: str) -> None:
    said = after(SET, {"kind": kind})
    assert said.kind == kind
    assert said.model_dump(include=set(SET)) == SET


def test_nudging_wipes_nothing_and_goes_on_from_where_the_hit_stands() -> None:
    said = after({"velocity": 90}, {"by_s": 0.001, "stands_s": 1.004}, {"by_s": 0.002, "stands_s": 9.0})
    assert said.to_s == pytest.approx(1.007)  # the second nudge goes on from the first
    assert said.velocity == 90 and said.kind == "keep"


def test_a_hit_that_was_moved_far_is_dropped_by_where_it_was_found() -> None:
    marks = {"m": Mark(kind="keep", time_s=1.0, to_s=1.5)}
    take_marks(marks, {"n": MarkChange(time_s=1.0, kind="drop")})
    assert marks == {"m": Mark(kind="drop", time_s=1.0, to_s=1.5)}


def test_a_moved_hit_moves_again() -> None:
    assert after({"to_s": 1.5}, {"to_s": 1.25}).to_s == 1.25


def test_what_is_said_empty_is_left_to_the_part_again() -> None:
    assert after(SET, {"velocity": None}).velocity is None


def test_an_added_hit_stays_one_until_it_is_dropped() -> None:
    assert after({"kind": "add"}, {"kind": "keep", "velocity": 3}).kind == "add"
    marks = {"m": Mark(kind="add", time_s=1.0, velocity=5)}
    take_marks(marks, {"n": MarkChange(time_s=1.001, kind="drop")})
    assert marks == {}


def test_adding_where_a_stroke_was_dropped_keeps_it() -> None:
    assert after({"kind": "drop"}, {"kind": "add"}).kind == "keep"


def test_a_note_set_by_hand_joins_the_mark_that_the_stroke_has() -> None:
    marks = {"m": Mark(kind="keep", time_s=1.0, to_s=1.01)}
    document = Document(name="T", parts={"p": Part(piece="snare", place=0, sources=[], marks=marks)})
    notes = {"n": NoteByHand(time_s=1.0, velocity=20)}
    new, _ = apply(document, SetNotes(kind="set_notes", part_id="p", notes=notes))
    assert new.parts["p"].marks == {"m": Mark(kind="keep", time_s=1.0, to_s=1.01, velocity=20)}


@given(st.lists(by_hand, min_size=1, max_size=6))
def test_each_field_is_what_was_last_said_of_it(changes: list[dict[str, object]]) -> None:
    said = after(*changes)
    last: dict[str, object] = {}
    for change in changes:
        last |= change
    assert said.kind == last.get("kind", "keep")
    for name in SET:
        assert getattr(said, name) == last.get(name)


@given(st.lists(st.floats(0, 2), max_size=60), st.lists(st.floats(0, 2), min_size=1, max_size=20))
def test_the_mark_of_a_place_is_one_that_is_near_enough(places: list[float], asked: list[float]) -> None:
    marks = {str(number): Mark(kind="keep", time_s=time_s) for number, time_s in enumerate(places)}
    index = MarksAtPlaces(marks)
    for time_s in asked:
        near = [key for key, mark in marks.items() if abs(mark.time_s - time_s) < NEAR_S]
        assert index.near(time_s) == (near[-1] if near else None)


def test_a_mark_out_of_bounds_is_a_sentence() -> None:
    document = Document(name="T", parts={"p": Part(piece="snare", place=0, sources=[])})
    far = MarkChange(time_s=0.0, by_s=-5.0)
    new, _ = apply(document, SetMark(kind="mark", part_id="p", marks={"m": far}))
    assert new.parts["p"].marks["m"].to_s == 0.0
