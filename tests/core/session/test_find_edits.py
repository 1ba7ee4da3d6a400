"""Edits of Find: strokes given to another part, marks by the thousand."""

from __future__ import annotations

from nubrak.core.session.edit import Give, SetMark, apply
from nubrak.core.session.marks import MarkChange
from tests.core.session.sources import with_sources


def test_a_stroke_given_to_another_part_is_dropped_here_and_a_hit_there() -> None:
    document = with_sources(("snare.wav", "snare"), ("tom.wav", "rack-tom"))
    document, label = apply(
        document, Give(kind="give", part_id="p0", to_part_id="p1", marks={"a": 1.0}, there={"b": 1.002})
    )
    assert document.parts["p0"].marks["a"].kind == "drop" and document.parts["p1"].marks["b"].time_s == 1.002
    assert label == "Snare: give the stroke at 0:01.000 to rack tom"


def test_marks_on_thousands_of_places_are_one_edit() -> None:
    document = with_sources(("snare.wav", "snare"))
    marks = {f"m{n}": MarkChange(kind="drop", time_s=n * 0.01) for n in range(900)}
    document, label = apply(document, SetMark(kind="mark", part_id="p0", marks=marks))
    assert len(document.parts["p0"].marks) == 900 and label == "Snare: drop 900 places"
