"""Which piece a note stands for: General MIDI Level 1 percussion key map (MMA)."""

from __future__ import annotations

import pytest

from nubrak.core.pieces import ARTICULATIONS, PIECES, piece_of_key


@pytest.mark.parametrize(
    ("note", "piece"),
    [
        (35, "kick"),  # Acoustic Bass Drum
        (36, "kick"),  # Bass Drum 1
        (37, "snare"),  # Side Stick
        (38, "snare"),  # Acoustic Snare
        (42, "hi-hat"),  # Closed Hi-Hat
        (44, "hi-hat"),  # Pedal Hi-Hat
        (46, "hi-hat"),  # Open Hi-Hat
        (49, "crash"),  # Crash Cymbal 1
        (53, "ride"),  # Ride Bell
        (39, "clap"),  # Hand Clap
        (54, "tambourine"),  # Tambourine
        (56, "cowbell"),  # Cowbell
        (70, "shaker"),  # Maracas
    ],
)
def test_notes_of_the_map_stand_for_their_pieces(note: int, piece: str) -> None:
    assert piece_of_key(note) == piece


def test_every_way_of_striking_belongs_to_its_piece_and_other_notes_to_none() -> None:
    for piece, ways in ARTICULATIONS.items():
        assert all(piece_of_key(way.note) == piece for way in ways)
    named = {piece_of_key(note) for note in range(128)} - {None}
    assert named <= set(PIECES) and all(PIECES[one].noted for one in named)
    assert piece_of_key(0) is None and piece_of_key(81) is None
