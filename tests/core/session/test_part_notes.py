"""Each part of a session is written as a note of its own."""

from __future__ import annotations

from nubrak.core.layer.settings import Layer
from nubrak.core.pieces import NoteMap
from nubrak.core.samples import Instrument, Sample
from nubrak.core.session import Document, part_notes
from nubrak.core.session.document import Part
from nubrak.core.session.edit import SplitPart, apply
from tests.core.session.sources import with_sources

# Neighbours of the General MIDI Level 1 percussion key map (MMA): 41 and 43 are floor toms, 38 and 40 snares,
# 49 and 57 crashes, 51 and 59 rides, 35 and 36 bass drums.


def _notes(document: Document) -> list[int]:
    notes = part_notes(document)
    return [notes[key] for key in sorted(notes)]


def test_a_second_drum_of_a_kind_has_its_neighbour_of_general_midi() -> None:
    kit = with_sources(
        ("a", "floor-tom"), ("b", "floor-tom"), ("c", "snare"), ("d", "snare"), ("e", "crash"), ("f", "crash")
    )
    assert _notes(kit) == [43, 41, 38, 40, 49, 57]


def test_no_two_parts_and_no_way_of_striking_share_a_note() -> None:
    many = with_sources(
        *((str(k), "snare") for k in range(4)), ("h", "hi-hat"), ("i", "hi-hat"), ("e", "else"), ("g", "else")
    )
    notes = _notes(many)
    assert len(set(notes)) == len(notes) == 8
    # Open and pedal hats and the side stick keep their notes for themselves.
    assert not {46, 44, 37} & set(notes)


def test_something_else_alone_keeps_the_note_that_it_has() -> None:
    assert _notes(with_sources(("k", "kick"), ("e", "else"))) == [36, 37]


def test_a_map_of_ones_own_moves_the_first_and_leaves_the_neighbour() -> None:
    kit = with_sources(("a", "floor-tom"), ("b", "floor-tom"))
    kit.note_map = NoteMap(name="Own", notes={"floor-tom": 60})
    assert _notes(kit) == [60, 41]


def test_ghosts_that_are_divided_have_a_note_of_their_own_and_their_layers_sound_on_it() -> None:
    kit = with_sources(("s", "snare"))
    heard = Sample(audio="a", peak_db=-3)
    sound = Instrument(name="Snare", piece="snare", samples=[heard])
    kit.parts["p0"].layers["l"] = Layer(instrument=sound, notes=[38])
    split = {"marks": {"m": 1.0}, "there": {"n": 1.0}}
    kit, _ = apply(kit, SplitPart(kind="split_part", part_id="p0", new_part_id="g", **split))
    assert part_notes(kit) == {"p0": 38, "g": 40}
    assert kit.parts["g"].layers["l"].notes == [38, 40] and kit.parts["p0"].layers["l"].notes == [38]


def test_a_second_snare_comes_before_ghosts() -> None:
    kit = with_sources(("s", "snare"), ("t", "snare"))
    kit.parts["g"] = Part(piece="snare", place=0, sources=["s0"], sorted_from="p0", divided_from="p0", rank=1)
    assert part_notes(kit)["p1"] == 40
    assert part_notes(kit)["g"] not in (38, 40)


def test_rooms_and_what_is_only_heard_have_no_note() -> None:
    assert part_notes(with_sources(("r", "room"), ("h", "heard"))) == {}
