"""Mends stay with their strokes, wherever these go."""

from __future__ import annotations

from nubrak.core.mix import Mend
from nubrak.core.session import Document, Give, MendStroke, SplitPart, apply
from nubrak.core.session.gather_edits import CombineMicrophones
from nubrak.core.session.mend_edits import Unmend
from nubrak.core.session.sort_edits import JoinParts
from tests.core.session.sources import with_sources


def mended() -> Document:
    """A snare with two mends, and a second microphone on it."""
    document = with_sources(("snare.wav", "snare"), ("snare low.wav", "snare"))
    for key, at_s in (("m", 2.0), ("n", 5.0)):
        mend = Mend(time_s=at_s, from_s=8.0, length_s=0.3, found_s=at_s, velocity=90)
        document, _ = apply(document, MendStroke(kind="mend", part_id="p0", mend_id=key, mend=mend))
    return document


def by_part(document: Document) -> dict[str, set[str]]:
    return {key: set(part.mends) for key, part in document.parts.items() if part.mends}


def test_a_part_that_is_divided_and_joined_again_has_every_mend_once() -> None:
    split = SplitPart(
        kind="split_part", part_id="p0", new_part_id="ghosts", marks={"a": 2.001}, there={"b": 2.001}
    )
    apart, _ = apply(mended(), split)
    assert by_part(apart) == {"p0": {"n"}, "ghosts": {"m"}} and len(apart.mends) == 2
    back, _ = apply(apart, Unmend(kind="unmend", part_id="ghosts", mend_ids=["m"]))
    assert by_part(back) == {"p0": {"n"}}
    join = JoinParts(kind="join_parts", part_id="p0", other_id="ghosts", marks={"c": 2.001})
    assert by_part(apply(apart, join)[0]) == {"p0": {"m", "n"}}


def test_what_goes_to_another_part_takes_its_mend_along() -> None:
    give = Give(kind="give", part_id="p0", to_part_id="p1", marks={"a": 5.0}, there={"b": 5.0})
    assert by_part(apply(mended(), give)[0]) == {"p0": {"m"}, "p1": {"n"}}
    together = CombineMicrophones(kind="combine_microphones", part_id="p1", other_id="p0")
    assert by_part(apply(mended(), together)[0]) == {"p1": {"m", "n"}}
