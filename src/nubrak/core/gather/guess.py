"""Guess what a recording is: as its name says, else as it sounds."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import Candidates
from nubrak.core.gather.character import character
from nubrak.core.gather.kinds import KINDS, kinds_of
from nubrak.core.pieces import Likely, PieceGuess, guess_from_name

LISTENED_S = 60.0  # of a recording, to tell what it is: a stroke or two a bar are enough by then
SURE = 0.7  # less than this is asked about
_WORTH_SAYING, _MOST_OTHERS = 0.05, 2
# A signal (frames,), its rate, and what was found in it.
Heard = tuple[NDArray[np.float32], int, Candidates]


def guess_from_sound(heard: Heard) -> PieceGuess | None:
    """What a recording sounds like, and what else it may be; None where too little is struck to tell."""
    shown = character(*heard)
    if shown is None:
        return None
    likely = kinds_of(shown[None])[0]
    # Two kinds may be taken as one piece: how sure it is speaks of the piece.
    by_piece: dict[str, float] = {}
    for kind, one in zip(KINDS, likely.tolist(), strict=True):
        by_piece[kind.piece] = by_piece.get(kind.piece, 0.0) + one
    ranked = sorted(by_piece, key=lambda piece: -by_piece[piece])
    named = {
        piece: max((k for k in range(len(KINDS)) if KINDS[k].piece == piece), key=lambda k: likely[k])
        for piece in ranked
    }
    if by_piece[ranked[0]] < SURE:
        # Until it is answered, what may be struck is not left without notes.
        ranked.sort(key=lambda piece: piece == "heard")
    best = KINDS[named[ranked[0]]]
    sure = by_piece[best.piece]
    others = [
        Likely(piece=piece, named=KINDS[named[piece]].named, sure=round(by_piece[piece], 2))
        for piece in sorted(ranked[1:], key=lambda piece: -by_piece[piece])[:_MOST_OTHERS]
        if by_piece[piece] >= _WORTH_SAYING
    ]
    said = f"By its sound: {best.sounds}; {best.named} with {100 * sure:.0f} %"
    if sure < SURE and others:
        said += ", " + " or ".join(f"{one.named} with {100 * one.sure:.0f} %" for one in others)
    return PieceGuess(
        piece=best.piece,
        why=f"{said}.",
        sure=round(sure, 2),
        others=others,
        asks=sure < SURE,
        over_the_kit=best.id == "overheads",
    )


def guess_piece(name: str, beginning: Callable[[], Heard | None]) -> PieceGuess:
    """What a file holds: as its name says, else as its first ``LISTENED_S`` sound, else something to be
    struck. ``beginning`` is asked only where the name says nothing.
    """
    said = guess_from_name(name)
    if said is not None:
        return said
    heard = beginning()
    return (heard and guess_from_sound(heard)) or PieceGuess(
        piece="else", why="Neither the file's name nor its sound says what it is.", sure=0.0
    )
