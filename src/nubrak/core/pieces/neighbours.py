"""Which note a further drum of a kind takes: General MIDI's neighbours."""

from __future__ import annotations

from collections.abc import Set

from nubrak.core.pieces.catalogue import PIECES

# What General MIDI Level 1 (MMA) has for a further drum or cymbal of the same kind, the nearest first.
_NEIGHBOURS: dict[str, tuple[int, ...]] = {
    "kick": (36, 35),
    "snare": (38, 40),
    "rack-tom": (48, 50, 47, 45),
    "mid-tom": (47, 45, 48, 50),
    "floor-tom": (43, 41, 45),
    "crash": (49, 57, 52, 55),
    "ride": (51, 59),
    "conga": (63, 64, 62, 61, 60),
    "cowbell": (56, 67, 68),
    "woodblock": (76, 77, 75),
    "shaker": (70, 69),
}
# Cymbals that the map has a note for and that are no piece of ours.
_NAMED = {"splash": 55, "china": 52}
# Drums of the same map that no piece of ours is, then notes that the map leaves free.
_FREE = (65, 66, 67, 68, 58, 78, 79, 73, 74, 80, 81, 71, 72, *range(88, 128), *range(27, 35))


def free_note(piece: str, taken: Set[int], name: str = "") -> int | None:
    """A note that is not taken for a further drum of a piece, which may be called ``name``; None where all
    are taken.

    >>> free_note("floor-tom", {43})
    41
    """
    usual = PIECES[piece].note if piece in PIECES else None
    called = [note for word, note in _NAMED.items() if word in name.lower()]
    near = (*called, *(note for note in _NEIGHBOURS.get(piece, ()) if note != usual), *_FREE)
    return next((note for note in near if note not in taken), None)
