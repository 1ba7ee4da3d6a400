"""Joined microphones set by hand: what is set stays through everything else."""

from __future__ import annotations

import pytest

from nubrak.core.flow import listens_to
from nubrak.core.problem import Problem
from nubrak.core.session import Clip, Document, Part, Source
from nubrak.core.session.edit import apply
from nubrak.core.session.gather_edits import Apart, CombineMicrophones, RemoveSource, SetAside
from nubrak.core.session.microphone_edits import HearOn, SetMicrophones


@pytest.fixture
def document() -> Document:
    out = Document(name="Lamps")
    for place, name in enumerate(("Kick in.wav", "Kick out.wav")):
        clip = Clip(audio="0" * 64, length_s=4.0, channels=1, rate_hz=44100)
        out.sources[f"s{place}"] = Source(name=name, place=place, clips=[clip])
        out.parts[f"p{place}"] = Part(piece="kick", place=place, sources=[f"s{place}"])
    joined, _ = apply(out, CombineMicrophones(kind="combine_microphones", part_id="p0", other_id="p1"))
    return joined


def set_it(document: Document, **changes: float | bool) -> tuple[Document, str]:
    return apply(document, SetMicrophones(kind="set_microphones", changes={"s1": dict(changes)}))


def test_each_keeps_its_own_and_what_is_not_named_stays(document: Document) -> None:
    document, said = set_it(document, level_db=-3.0, polarity=-1)
    assert said.startswith("Kick out.wav: ")
    document, _ = set_it(document, delay_ms=1.2)
    one = document.sources["s1"].microphone
    assert (one.level_db, one.polarity, one.delay_ms, one.on) == (-3.0, -1, 1.2, True)
    assert document.sources["s0"].microphone == type(one)()
    # It outlives being made a part of its own and joined again.
    document, _ = apply(document, Apart(kind="apart", part_id="p0", source_id="s1", new_part_id="p7"))
    document, _ = apply(document, CombineMicrophones(kind="combine_microphones", part_id="p0", other_id="p7"))
    assert document.sources["s1"].microphone == one
    assert Document.model_validate_json(document.model_dump_json()) == document


@pytest.mark.parametrize("wrong", [{"level_db": 20.0}, {"polarity": 2}, {"delay_ms": -21.0}, {"colour": 1.0}])
def test_what_does_not_fit_is_refused(document: Document, wrong: dict[str, float]) -> None:
    with pytest.raises(Problem):
        set_it(document, **wrong)


def test_strokes_are_found_on_one_of_them_while_it_is_there(document: Document) -> None:
    assert [one.name for one in listens_to(document, "p0")] == ["Kick in.wav", "Kick out.wav"]
    document, said = apply(document, HearOn(kind="hear_on", part_id="p0", source_id="s1"))
    assert said == "Find kick on Kick out.wav"
    assert [one.name for one in listens_to(document, "p0")] == ["Kick out.wav"]
    aside, _ = apply(document, SetAside(kind="set_aside", source_id="s1", aside=True))
    assert [one.name for one in listens_to(aside, "p0")] == ["Kick in.wav"]
    for gone in (
        Apart(kind="apart", part_id="p0", source_id="s1", new_part_id="p7"),
        RemoveSource(kind="remove_source", source_id="s1"),
    ):
        left, _ = apply(document, gone)
        assert [one.name for one in listens_to(left, "p0")] == ["Kick in.wav"]
    document, said = apply(document, HearOn(kind="hear_on", part_id="p0", source_id=None))
    assert said == "Find kick on all its microphones" and len(listens_to(document, "p0")) == 2
    with pytest.raises(Problem, match="another part"):
        apply(document, HearOn(kind="hear_on", part_id="p0", source_id="s9"))
