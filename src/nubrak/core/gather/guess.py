"""Guess what a recording is: as its name says, else as it sounds."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import Candidates
from nubrak.core.gather.character import character
from nubrak.core.gather.distance import FAR_MS
from nubrak.core.gather.kinds import KINDS, kinds_of
from nubrak.core.pieces import PIECES, Likely, PieceGuess, guess_from_name

LISTENED_S = 60.0  # of a recording, to tell what it is: a stroke or two a bar are enough by then
SURE = 0.7  # less than this is asked about
_WORTH_SAYING, _MOST_OTHERS = 0.05, 2
_TELLS = 0.001  # a kind less likely than this is not kept
_IDS = [kind.id for kind in KINDS]
# What is recorded at the same time as others: microphones of a kit, a click, music to play along with.
_OF_A_KIT = frozenset(_IDS) - {"loop", "clap", "tambourine", "shaker", "conga", "cowbell", "mouth"}
_BESIDE_A_KIT = 0.1  # everything else is so much less likely there; benchmarks/guesses.py says what it brings
_SURE_FROM_AFAR = 0.9
# A signal (frames,), its rate, and what was found in it.
Heard = tuple[NDArray[np.float32], int, Candidates]


def guess_from_sound(heard: Heard) -> PieceGuess | None:
    """What a recording sounds like, and what else it may be; None where too little is struck to tell."""
    shown = character(*heard)
    if shown is None:
        return None
    likely = kinds_of(shown[None])[0]
    return _guess(dict(zip(_IDS, likely.tolist(), strict=True)), "By its sound")


def guess_in_company(guess: PieceGuess) -> PieceGuess:
    """What a recording is that was told by its sound alone, now that others were recorded at the same time:
    hardly a loop, hands or a mouth. As it was where its sound was not asked.
    """
    if not guess.kinds or guess.in_company:
        return guess
    weighed = {
        kind: likely * (1.0 if kind in _OF_A_KIT else _BESIDE_A_KIT) for kind, likely in guess.kinds.items()
    }
    whole = max(sum(weighed.values()), 1e-9)
    found = _guess({kind: one / whole for kind, one in weighed.items()}, "By its sound, beside the others")
    return found.model_copy(update={"kinds": guess.kinds, "in_company": True})


def guess_from_afar(guess: PieceGuess, late_ms: float | None) -> PieceGuess:
    """What a recording is that was told by its sound, now that it is known by how much it hears its strokes
    after the first of the others: a room, where that is longer than overheads take. Else as it was.
    """
    if late_ms is None or late_ms < FAR_MS:
        return guess
    likeliest = Likely(piece=guess.piece, named=PIECES[guess.piece].name.lower(), sure=guess.sure)
    return guess.model_copy(
        update={
            "piece": "room",
            "why": f"It hears each stroke {late_ms:.0f} ms after the first of the other microphones: a room.",
            "sure": _SURE_FROM_AFAR,
            "asks": False,
            "over_the_kit": False,
            "others": [likeliest],
        }
    )


def _guess(likely_of: dict[str, float], by: str) -> PieceGuess:
    likely = [likely_of.get(kind, 0.0) for kind in _IDS]
    # Two kinds may be taken as one piece: how sure it is speaks of the piece.
    by_piece: dict[str, float] = {}
    for kind, one in zip(KINDS, likely, strict=True):
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
    said = f"{by}: {best.sounds}; {best.named} with {100 * sure:.0f} %"
    if sure < SURE and others:
        said += ", " + " or ".join(f"{one.named} with {100 * one.sure:.0f} %" for one in others)
    return PieceGuess(
        piece=best.piece,
        why=f"{said}.",
        sure=round(sure, 2),
        others=others,
        asks=sure < SURE,
        over_the_kit=best.id == "overheads",
        kinds={kind: round(one, 4) for kind, one in likely_of.items() if one >= _TELLS},
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
