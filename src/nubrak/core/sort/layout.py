"""The layout of a source's sounds: where each stroke stands between dark and bright, short and long, and the
outline around each group.

A stroke that is struck alone stands where it sounds; one of several struck together stands among those of
its piece that are alone, for what the moment sounds like is not its own sound. The same stroke stands at the
same place whatever is decided about others.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from nubrak.core.sort.listening import Sounding

_SPREAD = 0.3  # octaves by which strokes that sound the same are drawn apart
_GROWN, _CORNERS = 0.16, 16  # octaves an outline keeps from its strokes; corners of the circle it is grown by
_FAR = (
    3.0  # strokes further from the middle of their group than this many spreads are left outside its outline
)


@dataclass(frozen=True)
class Placed:
    """Strokes laid out: ``brightness_hz`` and ``ring_s`` (n,)."""

    brightness_hz: NDArray[np.float64]
    ring_s: NDArray[np.float64]


def placed(
    sounding: Sounding,
    row: NDArray[np.int64],
    alone: NDArray[np.bool_],
    group: NDArray[np.int64],
    usual_hz: NDArray[np.float64],
) -> Placed:
    """Where the strokes of candidates ``row`` (n,) stand; ``alone`` (n,) whether nothing else is struck
    there, ``group`` (n,) which strokes are one sound, ``usual_hz`` (n,) where a sound stands of which no
    stroke is alone.
    """
    at = (
        np.log2(np.stack([sounding.brightness_hz[row], sounding.ring_s[row]], axis=1))
        if len(row)
        else np.zeros((0, 2))
    )
    out = at.copy()
    for one in np.unique(group):
        of = group == one
        if np.any(of & alone):
            out[of & ~alone] = np.median(at[of & alone], axis=0)
        else:
            out[of] = np.log2(usual_hz[of][0]), np.median(at[of, 1])
    out += _SPREAD * _jitter(row) * np.where(alone, 0.14, 1.0)[:, None]
    return Placed(2.0 ** out[:, 0], 2.0 ** out[:, 1])


def outline(brightness_hz: NDArray[np.float64], ring_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """The corners of a line around strokes (n,), (corners, 2) as Hz and s: their convex hull (Barber et al.,
    "The Quickhull algorithm", ACM TOMS 22, 1996), grown.
    """
    at = np.log2(np.stack([brightness_hz, ring_s], axis=1))
    middle = np.median(at, axis=0)
    away = np.linalg.norm(at - middle, axis=1)
    at = at[away <= max(_FAR * float(np.median(away)), 2 * _GROWN)]
    turn = 2 * np.pi * np.arange(_CORNERS) / _CORNERS
    grown = (at[:, None] + _GROWN * np.stack([np.cos(turn), np.sin(turn)], axis=1)[None]).reshape(-1, 2)
    try:
        corners = grown[ConvexHull(grown).vertices]
    except QhullError:
        corners = grown
    return np.asarray(2.0**corners)


def _jitter(row: NDArray[np.int64]) -> NDArray[np.float64]:
    """Two numbers between -1 and 1 for each candidate, (n, 2): the same for the same candidate, spread
    evenly (the plastic number's sequence, Roberts 2018).
    """
    steps = np.array([0.7548776662466927, 0.5698402909980532])
    return np.asarray(2.0 * ((row[:, None] * steps[None]) % 1.0) - 1.0)
