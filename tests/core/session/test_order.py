"""Parts and sources in a drummer's order, until a hand has put them otherwise."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.pieces.file_names import guess_from_name
from nubrak.core.session.document import Document, Part
from nubrak.core.session.edit import SetPiece, apply
from nubrak.core.session.gather_edits import AddSource
from nubrak.core.session.name_edits import MovePart, OrderParts
from nubrak.core.session.order import heads
from tests.core.session.sources import clip, with_sources

KIT = ("Kick in.wav", "Snare.wav", "Hat.wav", "Rack tom.wav", "Floor.wav", "Ride.wav", "OH.wav", "Room.wav")


def kit(*names: str) -> Document:
    document = Document(name="T")
    for number, name in enumerate(names):
        guess = guess_from_name(name)
        assert guess is not None
        ids = {"source_id": f"s{number}", "part_id": f"p{number}"}
        action = AddSource(kind="add_source", name=name, guess=guess, clip=clip(f"a{number}"), **ids)
        document, _ = apply(document, action)
    return document


def names(document: Document) -> list[str]:
    by_place = sorted(document.sources.values(), key=lambda one: one.place)
    in_parts = [document.sources[one].name for key in heads(document) for one in document.parts[key].sources]
    assert [one.name for one in by_place] == in_parts, "sources stand as their parts do"
    return in_parts


@given(st.permutations(KIT))
def test_a_kit_stands_in_a_drummers_order_however_it_came(order: list[str]) -> None:
    assert tuple(names(kit(*order))) == KIT


def test_what_is_no_kit_stands_behind_and_what_is_only_heard_is_last() -> None:
    document = with_sources(
        ("song.wav", "heard"), ("claps.wav", "clap"), ("room.wav", "room"), ("k.wav", "kick")
    )
    assert names(document) == ["k.wav", "room.wav", "claps.wav", "song.wav"]


def test_overheads_are_called_so_and_stand_behind_cymbals_of_their_own() -> None:
    document = kit("Overheads.wav", "Crash.wav", "Kick.wav")
    assert names(document) == ["Kick.wav", "Crash.wav", "Overheads.wav"]
    assert [document.part_name(key) for key in heads(document)] == ["Kick", "Crash", "Overheads"]
    # Said to be something else, it is called that.
    document, _ = apply(document, SetPiece(kind="set_piece", part_id="p0", piece="room"))
    assert document.part_name("p0") == "Room"


def test_a_hand_puts_a_part_anywhere_and_it_stays_there() -> None:
    document = kit("Kick.wav", "Snare.wav", "Hat.wav")
    document, label = apply(document, MovePart(kind="move_part", part_id="p2", to=0))
    assert names(document) == ["Hat.wav", "Kick.wav", "Snare.wav"] and "hi-hat" in label
    document, _ = apply(document, SetPiece(kind="set_piece", part_id="p1", piece="kick"))
    assert names(document)[0] == "Hat.wav", "what a hand has put stays"
    document, _ = apply(document, OrderParts(kind="order_parts"))
    assert names(document) == ["Kick.wav", "Snare.wav", "Hat.wav"]


@pytest.mark.parametrize(("part", "to"), itertools.product(("p0", "p2"), (0, 1, 2, 99)))
def test_what_is_told_from_a_part_goes_with_it(part: str, to: int) -> None:
    document = kit("Kick.wav", "Snare.wav", "Hat.wav")
    document.parts["ghosts"] = Part(piece="snare", place=1, sources=["s1"], sorted_from="p1", named="Ghosts")
    document, _ = apply(document, MovePart(kind="move_part", part_id=part, to=to))
    order = [key for key, _ in document.ordered_parts()]
    assert order.index("ghosts") == order.index("p1") + 1 and len(order) == 4
