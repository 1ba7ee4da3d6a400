"""Articulations and their notes."""

from __future__ import annotations

import pytest

from nubrak.core.pieces import ARTICULATIONS, GENERAL_MIDI, PIECES, NoteMap, from_text, plain_of, to_text


def test_articulations_take_the_notes_general_midi_has_for_them() -> None:
    # General MIDI Level 1 percussion key map (MMA): 37 Side Stick, 42 Closed, 44 Pedal, 46 Open Hi-hat, 53
    # Ride Bell.
    says = {
        ("hi-hat", "open"): "Open hi-hat",
        ("hi-hat", "pedal"): "Pedal hi-hat",
        ("hi-hat", "closed"): "Closed hi-hat",
    }
    says |= {
        ("ride", "bell"): "Ride bell",
        ("snare", "side"): "Side stick",
        ("snare", "centre"): "Acoustic snare",
    }
    for (piece, way), name in says.items():
        assert GENERAL_MIDI[NoteMap().number_of(piece, way)] == name


def test_the_plain_way_is_the_pieces_own_note() -> None:
    for piece, ways in ARTICULATIONS.items():
        assert ways[0].note == PIECES[piece].note and plain_of(piece) == ways[0].id
    assert plain_of("kick") is None and NoteMap().number_of("kick", "open") == 36


def test_half_open_falls_to_open_wherever_open_is_put_until_it_has_a_note_of_its_own() -> None:
    assert NoteMap(notes={"hi-hat/open": 26}).number_of("hi-hat", "half") == 26
    assert NoteMap(notes={"hi-hat/open": 26, "hi-hat/half": 23}).number_of("hi-hat", "half") == 23


def test_a_map_with_articulations_survives_its_table() -> None:
    mapped = NoteMap(name="Module", notes={"hi-hat/open": 26, "snare/side": 40, "kick": 35})
    again, skipped = from_text(to_text(mapped))
    assert again == mapped.model_copy(update={"notes": again.notes}) and not skipped
    for piece, way in (
        ("hi-hat", "open"),
        ("hi-hat", "half"),
        ("snare", "side"),
        ("kick", None),
        ("ride", "bell"),
    ):
        assert again.number_of(piece, way) == mapped.number_of(piece, way)


@pytest.mark.parametrize("row", ["hi-hat/sideways,40,", "spoon,40,"])
def test_what_is_not_struck_is_skipped_with_a_sentence(row: str) -> None:
    found, skipped = from_text(f"piece,note,name\n{row}\nkick,35,\n")
    assert found.notes == {"kick": 35} and len(skipped) == 1
