"""Gaps of sources as edits: settings, single gaps by hand, and what goes with a take that is moved."""

from __future__ import annotations

import pytest

from nubrak.core.mix import GapMark
from nubrak.core.problem import Problem
from nubrak.core.session import Document, apply
from nubrak.core.session.clean_edits import MarkGaps, SetCleaning
from nubrak.core.session.gather_edits import MoveClip
from tests.core.session.sources import with_sources


def cleaned() -> Document:
    """A snare whose gaps are turned down, one of them by hand."""
    document = with_sources(("snare.wav", "snare"), ("tom.wav", "rack-tom"))
    source = next(iter(document.sources))
    document, said = apply(
        document, SetCleaning(kind="set_cleaning", source_ids=[source], changes={"on": True, "down_db": 20.0})
    )
    assert said == "snare.wav: gaps, on on, down 20 dB"
    return apply(
        document,
        MarkGaps(kind="mark_gaps", source_ids=[source], marks={"a": GapMark(time_s=1.0, closes_s=0.4)}),
    )[0]


def first(document: Document) -> str:
    return next(iter(document.sources))


def test_settings_and_hand_stand_beside_each_other() -> None:
    document = cleaned()
    document, _ = apply(
        document, SetCleaning(kind="set_cleaning", source_ids=[first(document)], changes={"down_db": 60.0})
    )
    cleaning = document.sources[first(document)].cleaning
    assert cleaning.down_db == 60 and cleaning.marks["a"].closes_s == 0.4
    assert not any(source.cleaning.on for key, source in document.sources.items() if key != first(document))


def test_a_later_mark_of_the_same_stroke_keeps_what_it_does_not_name() -> None:
    document = cleaned()
    mark = MarkGaps(
        kind="mark_gaps", source_ids=[first(document)], marks={"b": GapMark(time_s=1.003, down_db=6)}
    )
    marks = apply(document, mark)[0].sources[first(document)].cleaning.marks
    assert list(marks) == ["a"] and marks["a"].closes_s == 0.4 and marks["a"].down_db == 6
    back = MarkGaps(kind="mark_gaps", source_ids=[first(document)], remove=[1.002])
    document, said = apply(document, back)
    assert not document.sources[first(document)].cleaning.marks and said == "snare.wav: 1 gap as told"
    with pytest.raises(Problem):
        apply(document, back)


def test_a_take_that_is_moved_takes_the_marks_along() -> None:
    document = cleaned()
    moved, _ = apply(document, MoveClip(kind="move_clip", source_id=first(document), index=0, start_s=2.5))
    (mark,) = moved.sources[first(document)].cleaning.marks.values()
    assert mark.time_s == pytest.approx(3.5) and mark.closes_s == 0.4
