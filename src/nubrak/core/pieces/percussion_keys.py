"""Which piece a note of a drum kit stands for: the General MIDI Level 1 percussion key map (MMA)."""

from __future__ import annotations

from nubrak.core.pieces.articulation import ARTICULATIONS
from nubrak.core.pieces.catalogue import PIECES

# Notes of the map that are other drums of a piece than the one whose note it has.
_ALSO = {
    35: "kick",
    40: "snare",
    41: "floor-tom",
    45: "floor-tom",
    50: "rack-tom",
    57: "crash",
    55: "crash",
    52: "crash",
    59: "ride",
    62: "conga",
    64: "conga",
    60: "conga",
    61: "conga",
    67: "cowbell",
    68: "cowbell",
    69: "shaker",
    75: "woodblock",
    77: "woodblock",
    82: "shaker",
}
_OWN = {piece.note: piece.id for piece in PIECES.values() if piece.family != "whole" and piece.noted}
_WAYS = {way.note: piece for piece, ways in ARTICULATIONS.items() for way in ways}
# "else" has side stick's note as its own; the map says it is the snare's.
_PIECE_OF = _OWN | _ALSO | _WAYS


def piece_of_key(note: int) -> str | None:
    """The piece that a note of the map stands for, however it is struck; None where it stands for none of
    ours.
    """
    return _PIECE_OF.get(note)
