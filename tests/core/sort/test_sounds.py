"""The sounds that are told: each a piece there is, struck a way there is."""

from __future__ import annotations

from nubrak.core.pieces import ARTICULATIONS, PIECES
from nubrak.core.sort.sounds import PIECES_TOLD, SOUNDS, piece_of, way_of


def test_every_sound_is_a_piece_struck_a_way_that_it_is_struck() -> None:
    for sound in SOUNDS:
        ways = [way.id for way in ARTICULATIONS.get(piece_of(sound), ())]
        assert piece_of(sound) in PIECES and (way_of(sound) in ways if ways else way_of(sound) is None)
    assert {piece_of(sound) for sound in SOUNDS} == set(PIECES_TOLD)
