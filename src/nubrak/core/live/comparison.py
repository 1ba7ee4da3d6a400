"""What was played live, against what is found when the same audio is looked at as a whole."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import nearest_of

REACH_S = 0.010  # nearer than this, two are one stroke


@dataclass(frozen=True)
class Comparison:
    """``same`` (n, 2) the rows of live and offline that are one stroke; ``only_live`` and ``only_offline``
    the rows that only one of them has.
    """

    same: NDArray[np.int64]
    only_live: NDArray[np.int64]
    only_offline: NDArray[np.int64]


def compared(
    live_s: NDArray[np.float64], offline_s: NDArray[np.float64], reach_s: float = REACH_S
) -> Comparison:
    """Strokes at ``live_s`` (n,) and ``offline_s`` (m,), both in order of time: pairs that are each other's
    nearest and no further apart than ``reach_s``.
    """
    if not len(live_s) or not len(offline_s):
        return Comparison(np.zeros((0, 2), np.int64), np.arange(len(live_s)), np.arange(len(offline_s)))
    there, back = nearest_of(live_s, offline_s), nearest_of(offline_s, live_s)
    rows = np.arange(len(live_s))
    mutual = (back[there] == rows) & (np.abs(offline_s[there] - live_s) <= reach_s)
    same = np.stack([rows[mutual], there[mutual]], axis=1)
    return Comparison(
        same, rows[~mutual], np.setdiff1d(np.arange(len(offline_s)), same[:, 1], assume_unique=True)
    )
