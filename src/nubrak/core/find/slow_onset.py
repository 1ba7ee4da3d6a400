"""Swell: what begins before it is loudest, as a syllable does whose consonant is softer than what follows it,
or strokes of several pieces that are meant as one.

Each step up is a candidate of its own. The steps of a sound belong together where one goes on into the next
without a fall, strokes of several pieces where a hand could not part them; it began where the first of them
is.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find.attack import UNDER_PEAK_DB

_STEP_S = 0.060  # from one step up to the next; faster than hands or mouths repeat a stroke
# Nothing falls and is struck again within so little, and what rang before can hardly be told from it.
_AT_ONCE_S = 0.025
_FALL_DB = 8.0  # what is left of a step when the next comes, if it is one sound
_SOFTER_DB = 5.0  # a step that is softer by more is no part of a swell


def begins_at(
    time_s: NDArray[np.float64],
    level_db: NDArray[np.float64],
    before_db: NDArray[np.float64],
    rise_db: NDArray[np.float64],
    longest_s: float,
    rise_needed_db: float,
) -> NDArray[np.int64]:
    """For every candidate (n,), in order of time, the row at which its sound began, (n,): its own, or one up
    to ``longest_s`` before that rises by ``rise_needed_db``.

    ``before_db`` (n,) is what rang just before each, ``rise_db`` (n,) how far each jumps above it.
    """
    apart_s = np.diff(time_s)
    goes_on = (apart_s <= _AT_ONCE_S) | ((apart_s <= _STEP_S) & (before_db[1:] >= level_db[:-1] - _FALL_DB))
    goes_on &= level_db[1:] >= level_db[:-1] - _SOFTER_DB
    out = np.arange(len(time_s))
    for row in (np.nonzero(goes_on)[0] + 1).tolist():
        first = out[row - 1]
        far_under = level_db[first] < level_db[row] - UNDER_PEAK_DB
        if rise_db[first] >= rise_needed_db and not far_under and time_s[row] - time_s[first] <= longest_s:
            out[row] = first
    return out


def first_of_each(
    time_s: NDArray[np.float64], strokes: NDArray[np.bool_], together_s: float
) -> NDArray[np.int64]:
    """For every candidate (n,), in order of time, the first of the ``strokes`` (n,) that it sounds together
    with, (n,): those less than ``together_s`` after the first of them; what is no stroke stands for itself.
    """
    out, first = np.arange(len(time_s)), -1
    for row in np.nonzero(strokes)[0].tolist():
        if first < 0 or time_s[row] - time_s[first] >= together_s:
            first = row
        out[row] = first
    return out
