"""Likeness: how far two moments are apart in sound, in the band of a piece, and which follow a correction.

Only the band in which a piece speaks is compared, so that a hat over a kick is still like the hat alone.
Levels are matched first: a soft stroke of a drum is that drum.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.pieces import Piece
from nubrak.core.sort.listening import Sounding
from nubrak.core.sort.moment_spectra import LONG_EDGES_HZ

_FLOOR_DB = -60.0  # under the loud moments of a source nothing is told from noise
# How far apart strokes may be that follow, from hardly any to whatever is at all alike. Strokes of one drum
# differ by less than the usual reach on average (chosen on taught libraries).
REACHES_DB = (2.5, 3.5, 5.0, 7.0, 10.0)
USUAL_REACH = 2
_ODDS_DB = 1.0  # what a nat of log odds apart counts beside decibels
_MOST_NATS = 6.0


def unlike_db(
    sounding: Sounding, rows: NDArray[np.int64], others: NDArray[np.int64], piece: Piece
) -> NDArray[np.float64]:
    """How far moments ``rows`` (n,) are from ``others`` (m,) in the band of a piece, (n, m) in dB."""
    here, there = (_in_band(sounding, of, piece) for of in (rows, others))
    colour = np.sqrt(np.mean((here[:, None] - there[None]) ** 2, axis=2))
    odds = np.clip(sounding.log_odds, -_MOST_NATS, _MOST_NATS)
    told = np.sqrt(np.mean((odds[rows][:, None] - odds[others][None]) ** 2, axis=2))
    return np.asarray(colour + _ODDS_DB * told)


def followers(
    sounding: Sounding,
    corrected: NDArray[np.int64],
    left: NDArray[np.int64],
    candidates: NDArray[np.int64],
    piece: Piece,
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Which of ``candidates`` (n,), strokes of a piece, could follow the ``corrected`` (m,) out of it,
    nearest first, and from which of ``REACHES_DB`` on each does; those stay that are nearer to what a hand
    has ``left`` (k,) there.
    """
    if not len(candidates) or not len(corrected):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    away = unlike_db(sounding, candidates, corrected, piece).min(axis=1)
    follows = away <= REACHES_DB[-1]
    if len(left):
        follows &= away < unlike_db(sounding, candidates, left, piece).min(axis=1)
    order = np.argsort(away[follows], kind="stable")
    reach = np.searchsorted(REACHES_DB, away[follows][order])
    return np.asarray(candidates[follows][order]), np.asarray(reach, np.int64)


def _in_band(sounding: Sounding, rows: NDArray[np.int64], piece: Piece) -> NDArray[np.float64]:
    """Coarse spectra at the attack and later in the band of a piece, (n, columns) in dB about their own
    middle.
    """
    colour = sounding.colour[rows]
    bands = colour.shape[1] // 2
    step = (len(LONG_EDGES_HZ) - 1) // bands
    low, high = LONG_EDGES_HZ[:-1:step], LONG_EDGES_HZ[step::step]
    inside = (high > piece.low_hz) & (low < piece.high_hz)
    spectra = np.maximum(colour.reshape(len(rows), 2, bands)[:, :, inside], _FLOOR_DB)
    flat = spectra.reshape(len(rows), -1)
    return np.asarray(flat - flat.mean(axis=1, keepdims=True))
