"""Pieces of a kit without a microphone of their own, and what hears them."""

from __future__ import annotations

from nubrak.core.session.document import Part
from nubrak.core.session.edit import apply
from nubrak.core.session.own_microphone import pieces_to_look_for, without_microphone
from nubrak.core.session.sort_edits import AskPieces, ToldPiece, tell_pieces
from tests.core.session.sources import with_sources
from tests.core.session.test_order import kit


def test_what_no_microphone_stands_at_is_named_with_what_hears_it() -> None:
    found = without_microphone(kit("Kick.wav", "Snare.wav", "Room.wav", "Overheads.wav"))
    assert found is not None
    assert found.pieces == ["hi-hat", "toms", "ride", "crash"]
    assert found.heard_in == ["p3", "p2"], "overheads are nearer than a room"


def test_one_tom_of_any_size_is_a_tom() -> None:
    found = without_microphone(kit("Kick.wav", "Snare.wav", "Floor.wav", "Hat.wav", "Overheads.wav"))
    assert found is not None and found.pieces == ["ride", "crash"]


def test_what_was_told_from_the_overheads_is_missing_no_more() -> None:
    document = kit("Kick.wav", "Snare.wav", "Hat.wav", "Rack tom.wav", "Overheads.wav")
    document, _ = apply(document, AskPieces(kind="ask_pieces", part_id="p4"))
    assert without_microphone(document) is not None
    tell_pieces(document, "p4", {"r": ToldPiece("ride", ("ride",)), "c": ToldPiece("crash", ("crash",))})
    assert without_microphone(document) is None


def test_nothing_is_said_where_there_is_no_kit_or_nothing_else_to_hear_it() -> None:
    assert without_microphone(kit("Kick.wav", "Snare.wav")) is None
    assert without_microphone(with_sources(("claps.wav", "clap"), ("room.wav", "room"))) is None
    document = with_sources(("loop.wav", "loop"))
    document.parts["kick"] = Part(piece="kick", place=1, sources=["s0"], sorted_from="p0")
    assert without_microphone(document) is None


def test_over_a_kit_only_what_a_kit_holds_and_no_close_microphone_stands_at_is_looked_for() -> None:
    document = kit("Kick.wav", "Snare.wav", "Hat.wav", "Rack tom.wav", "Overheads.wav", "Room.wav")
    assert pieces_to_look_for(document, "p4") == {"ride", "crash"}
    assert pieces_to_look_for(document, "p5") == {"ride", "crash"}
    without_toms = kit("Kick.wav", "Snare.wav", "Hat.wav", "Overheads.wav")
    assert pieces_to_look_for(without_toms, "p3") == {"rack-tom", "mid-tom", "floor-tom", "ride", "crash"}
    # Alone it may hold anything.
    alone = pieces_to_look_for(kit("Overheads.wav"), "p0")
    assert {"kick", "snare", "shaker", "conga", "crash"} <= alone


def test_what_a_hand_named_is_looked_for_and_nothing_else() -> None:
    document = kit("Kick.wav", "Snare.wav", "Hat.wav", "Overheads.wav")
    named = AskPieces(kind="ask_pieces", part_id="p3", pieces=["cowbell", "ride"])
    document, _ = apply(document, named)
    assert pieces_to_look_for(document, "p3") == {"cowbell", "ride"}
    document, _ = apply(document, AskPieces(kind="ask_pieces", part_id="p3"))
    assert pieces_to_look_for(document, "p3") == {"rack-tom", "mid-tom", "floor-tom", "ride", "crash"}
