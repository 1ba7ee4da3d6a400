"""Which sources of a session are looked through beside each other, and what is found there."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from numpy.typing import NDArray

from nubrak.core.find import Candidates
from nubrak.core.flow import Look
from nubrak.core.problem import Problem
from nubrak.core.session.document import Clip, Document, Part, Source
from nubrak.core.spill.found_together import find_together
from nubrak.core.together import Beside, Group, find_beside, groups_of
from tests.conftest import RATE_HZ, decaying_strokes

STRUCK_S = {"kick": [0.5, 1.5, 2.5, 3.5], "snare": [1.0, 2.0, 3.0], "hi-hat": [0.25, 0.75, 1.25, 2.25]}


def recorded(piece: str) -> NDArray[np.float32]:
    hz = {"kick": 60.0, "snare": 190.0, "hi-hat": 3000.0}[piece]
    return decaying_strokes(STRUCK_S[piece], [0.6] * len(STRUCK_S[piece]), 4.2, hz=hz, seed=len(piece))


def group_of(document: Document) -> Group | None:
    """The only group of a session, if there is one."""
    found = groups_of(document)
    assert len(found) < 2
    return found[0] if found else None


def by_source(
    group: Group, wanted: list[Beside], mono_of: Callable[[str], NDArray[np.float32]]
) -> dict[str, Candidates]:
    return {one.source_id: found for one, found in find_beside(group, wanted, mono_of)}


def kit(start_s: dict[str, float] | None = None, **pieces: str) -> Document:
    """A session with a source of each name, recorded at these pieces."""
    starts = start_s or {}
    out = Document(name="kit")
    for place, (name, piece) in enumerate(pieces.items()):
        clip = Clip(
            audio=f"{place:064x}", start_s=starts.get(name, 0.0), length_s=4.2, channels=1, rate_hz=RATE_HZ
        )
        out.sources[name] = Source(name=name, place=place, clips=[clip])
        out.parts[f"part of {name}"] = Part(piece=piece, place=place, sources=[name])
    return out


def test_microphones_of_a_kit_belong_together_and_nothing_else() -> None:
    document = kit(a="kick", b="snare", c="hi-hat", d="loop", e="crash", f="room", g="heard")
    group = group_of(document)
    assert group is not None and group.rate_hz == RATE_HZ
    assert {one.source_id: one.heard for one in group.members if one.source_id in "abce"} == {
        "a": True, "b": True, "c": True, "e": True,
    }  # fmt: skip
    assert not {"d", "f", "g"} & {one.source_id for one in group.members}
    assert {one.source_id: one.look for one in group.members}["c"] is Look.WAYS


@pytest.mark.parametrize("change", ["one alone", "set aside", "another rate"])
def test_one_without_another_is_looked_through_by_itself(change: str) -> None:
    document = kit(a="kick") if change == "one alone" else kit(a="kick", b="snare")
    if change == "set aside":
        document.sources["b"].aside = True
    if change == "another rate":
        document.sources["b"].clips[0].rate_hz = 48000
    assert group_of(document) is None


def test_what_was_recorded_at_another_time_stands_beside_nothing_else() -> None:
    document = kit(a="kick", b="snare", c="clap", d="kick", e="hi-hat")
    for name, room in (("c", "first"), ("d", "second"), ("e", "second")):
        document.sources[name].room = room
    found = groups_of(document)
    assert [{one.source_id for one in group.members} for group in found] == [{"a", "b"}, {"d", "e"}]


def test_what_was_found_is_known_by_how_everything_lies() -> None:
    def keys(document: Document) -> dict[str, str]:
        group = group_of(document)
        assert group is not None
        return {one.source_id: group.key_of(one) for one in group.members}

    here = keys(kit(a="kick", b="snare"))
    assert here == keys(kit(a="kick", b="snare"))
    assert set(here.values()).isdisjoint(keys(kit({"b": 0.001}, a="kick", b="snare")).values())
    assert set(here.values()).isdisjoint(keys(kit(a="kick", b="snare", c="hi-hat")).values())
    assert all(key.endswith(f"{place:064x}") for place, key in enumerate(here.values()))


def test_they_are_found_at_their_places_on_the_time_line() -> None:
    document = kit({"a": 1.5, "b": 1.5}, a="kick", b="snare")
    audio = {f"{place:064x}": recorded(piece) for place, piece in enumerate(("kick", "snare"))}
    group = group_of(document)
    assert group is not None
    found = by_source(group, list(group.members), lambda key: audio[key])
    together = find_together({"a": recorded("kick"), "b": recorded("snare")}, RATE_HZ)
    for name in ("a", "b"):
        assert np.allclose(found[name].time_s, together[name].time_s + 1.5)
    assert len(found["b"].sounding) == len(found["b"]), "how a snare is struck is listened to"


def test_a_source_that_begins_later_is_laid_beside_the_others() -> None:
    document = kit({"b": 0.75}, a="kick", b="snare")
    audio = {f"{place:064x}": recorded(piece) for place, piece in enumerate(("kick", "snare"))}
    group = group_of(document)
    assert group is not None
    found = by_source(group, list(group.members), lambda key: audio[key])
    for name, piece, late_s in (("a", "kick", 0.0), ("b", "snare", 0.75)):
        away = np.abs(found[name].time_s[:, None] - (np.array(STRUCK_S[piece]) + late_s)[None]).min(axis=0)
        assert np.all(away < 0.002)


def test_one_that_cannot_be_read_keeps_no_other_from_being_heard() -> None:
    document = kit(a="kick", b="snare", c="rack-tom")
    audio = {f"{place:064x}": recorded(piece) for place, piece in enumerate(("kick", "snare"))}

    def mono_of(key: str) -> NDArray[np.float32]:
        if key not in audio:
            raise Problem("The file is damaged.")
        return audio[key]

    group = group_of(document)
    assert group is not None
    found = by_source(group, [one for one in group.members if one.source_id != "c"], mono_of)
    assert set(found) == {"a", "b"} and all(len(one) for one in found.values())
    with pytest.raises(Problem):
        by_source(group, list(group.members), mono_of)
