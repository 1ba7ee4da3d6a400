"""In step: candidates that follow another microphone's strokes always as late and always as much softer.

What comes by way of the air does; two hands that strike together are some milliseconds and decibels apart
each time. Nothing needs to be known of the leak for this, nor of which of a microphone's sounds are its own.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter

from nubrak.core.spill.onsets import EARLIEST_S, LATEST_S, PartOnsets

_LAG_S, _STEP_DB = 0.00025, 1.0  # how finely lags and levels are told apart: 9 cm, a decibel
_WITHIN = (3, 5)  # cells that are one: three quarters of a millisecond, five decibels
_LOWEST_DB, _HIGHEST_DB = -70.0, 30.0  # of an arrival against its stroke, whatever the gains are
_FEWEST = 6  # strokes of which a share says something
_MOST_BEFORE = 6  # strokes that one candidate may follow


def in_step_share(here: PartOnsets, there: PartOnsets, strokes: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Which share of another's ``strokes`` (m,) is followed just as late and just as much softer as the one
    that each candidate of ``here`` follows, (n,): 0 to 1, 0 where it follows none.
    """
    time_s = here.candidates.time_s
    out, rows = np.zeros(len(time_s)), np.nonzero(strokes)[0]
    if len(rows) < _FEWEST or not len(time_s):
        return out
    their_s = there.candidates.time_s[rows]
    first = np.searchsorted(their_s, time_s - LATEST_S)
    last = np.searchsorted(their_s, time_s - EARLIEST_S)
    pairs = []
    for step in range(_MOST_BEFORE):
        i = np.nonzero(first + step < last)[0]
        pairs.append(np.stack([i, first[i] + step]))
    i, j = np.concatenate(pairs, axis=1)
    late = np.floor((time_s[i] - their_s[j] - EARLIEST_S) / _LAG_S).astype(np.int64)
    softer = np.clip(here.level_db[i] - there.level_db[rows[j]], _LOWEST_DB, _HIGHEST_DB)
    level = np.floor((softer - _LOWEST_DB) / _STEP_DB).astype(np.int64)
    shape = (int((LATEST_S - EARLIEST_S) / _LAG_S) + 2, int((_HIGHEST_DB - _LOWEST_DB) / _STEP_DB) + 1)
    count = np.zeros(shape)
    np.add.at(count, (late, level), 1.0)
    near = uniform_filter(count, _WITHIN, mode="constant") * (_WITHIN[0] * _WITHIN[1])
    np.maximum.at(out, i, np.minimum((near[late, level] - 1.0) / (len(rows) - 1), 1.0))
    return np.maximum(out, 0.0)
