"""Guess the piece from the sound: what the loudest strokes of a recording look like, third octave by third
octave.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import Candidates
from nubrak.core.pieces import PIECES, PieceGuess, guess_from_name
from nubrak.core.signal import power_to_db

TAUGHT = Path(__file__).parent / "guess.npz"
LEAST_STROKES = 2  # one alone says nothing of how strokes differ
LISTENED_S = 60.0  # of a recording, to tell its piece: a stroke or two a bar are enough by then
_LOUDEST = 12  # the loudest are the piece’s own; the rest may be spill
_RANGE_DB = 45.0  # further under its loudest band, a band says nothing
_SAID = {
    "kick": "low and short",
    "snare": "broad, with a bright attack",
    "rack-tom": "a pitched drum",
    "floor-tom": "a low pitched drum",
    "hi-hat": "bright and short",
    "ride": "bright and ringing",
    "crash": "the whole kit from above",
}


def spectral_shape(candidates: Candidates) -> NDArray[np.float64] | None:
    """What the loudest strokes have in common: median level per third octave under its loudest, (bands,), and
    how much they differ among themselves, (bands,), one after the other. None where there are too few.
    """
    if len(candidates) < LEAST_STROKES:
        return None
    power = candidates.attack_power.astype(np.float64)
    loudest = np.argsort(power.sum(axis=1))[::-1][:_LOUDEST]
    level = power_to_db(power[loudest])
    level = np.clip(level - level.max(axis=1, keepdims=True), -_RANGE_DB, 0.0)
    return np.concatenate([np.median(level, axis=0), level.std(axis=0)]) / 20.0


@lru_cache(maxsize=1)
def _taught() -> tuple[list[str], NDArray[np.float64], NDArray[np.float64]]:
    with np.load(TAUGHT, allow_pickle=False) as stored:
        return (
            stored["pieces"].tolist(),
            stored["weights"].astype(np.float64),
            stored["start"].astype(np.float64),
        )


def guess_from_sound(candidates: Candidates) -> PieceGuess | None:
    """The piece a recording sounds like, or None where it has too few strokes to tell.

    A softmax over linear scores (multinomial logistic regression) of what ``spectral_shape`` gives, taught by
    ``benchmarks/learn.py``.
    """
    shown = spectral_shape(candidates)
    if shown is None:
        return None
    pieces, weights, start = _taught()
    score = weights @ shown + start
    stroke_probability = np.exp(score - score.max())
    stroke_probability /= stroke_probability.sum()
    best = int(np.argmax(stroke_probability))
    sure = float(stroke_probability[best])
    said = (
        f"Its loudest strokes sound {_SAID.get(pieces[best], 'like it')}: "
        f"{PIECES[pieces[best]].name.lower()} with {100 * sure:.0f} %."
    )
    return PieceGuess(piece=pieces[best], why=said, sure=round(sure, 2))


def guess_piece(name: str, beginning: Callable[[], Candidates]) -> PieceGuess:
    """What a file holds: as its name says, else as what is found in its first ``LISTENED_S`` sounds, else
    something to be struck. ``beginning`` is asked only where the name says nothing.
    """
    return (
        guess_from_name(name)
        or guess_from_sound(beginning())
        or PieceGuess(piece="else", why="Neither the file's name nor its sound says what it is.", sure=0.0)
    )
