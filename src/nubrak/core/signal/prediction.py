"""Linear prediction of a signal from its own past, row by row: what a stretch teaches, and what it cannot
explain.

The covariance method (Makhoul, "Linear prediction: a tutorial review", Proc. IEEE 63, 1975): least squares
over the stretch itself, without a window and without assuming anything outside of it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

ORDER = 10  # taps: five resonances, as many as a struck head shows in 15 ms


def prediction_error_filter(
    past: NDArray[np.floating], ridge: NDArray[np.float64] | float
) -> NDArray[np.float64]:
    """The filter that leaves of each row of ``past`` (n, ``ORDER`` + learn) what the ``ORDER`` samples before
    cannot explain.

    Taps (n, ``ORDER`` + 1), the newest sample's first, which is 1. ``ridge``, an energy, (n,) or one for all,
    keeps the fit from modelling what lies under it.
    """
    moments = _moments(past.astype(np.float64))
    normal = moments[:, :ORDER, :ORDER] + np.reshape(ridge, (-1, 1, 1)) * np.eye(ORDER)
    weights = np.linalg.solve(normal, moments[:, :ORDER, ORDER][..., None])[..., 0]
    return np.concatenate([np.ones((len(past), 1)), -weights[:, ::-1]], axis=1)


def prediction_residual(rows: NDArray[np.floating], taps: NDArray[np.floating]) -> NDArray[np.floating]:
    """Each row (n, columns) through its filter (n, ``ORDER`` + 1), whose first tap is 1, without the first
    ``ORDER`` samples, for which there is no past.

    ``rows`` is (n, samples), ``taps`` (n, ``ORDER`` + 1).
    """
    out = rows[:, ORDER:].copy()
    part = np.empty_like(out)
    for lag in range(1, ORDER + 1):
        out += np.multiply(rows[:, ORDER - lag : rows.shape[1] - lag], taps[:, lag : lag + 1], out=part)
    return out


def _moments(rows: NDArray[np.float64]) -> NDArray[np.float64]:
    """Products of each row (n, ``ORDER`` + learn) with itself, shifted by i and j samples and summed over
    learn, (n, i, j).

    Only the first of them is summed; a shift of both by one more takes in one product at the end and lets one
    go in front.
    """
    learn = rows.shape[1] - ORDER
    out = np.empty((len(rows), ORDER + 1, ORDER + 1))
    for j in range(ORDER + 1):
        out[:, 0, j] = out[:, j, 0] = np.vecdot(rows[:, :learn], rows[:, j : j + learn])
    first, last = rows[:, :ORDER], rows[:, learn:]
    moves = last[:, :, None] * last[:, None, :] - first[:, :, None] * first[:, None, :]
    for i in range(ORDER):
        out[:, i + 1, 1:] = out[:, i, :-1] + moves[:, i]
    return out
