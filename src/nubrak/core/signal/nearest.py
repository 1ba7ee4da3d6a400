"""Nearest in time: which of some sorted times lies nearest to each of others."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def nearest_of(value: NDArray[np.number], among: NDArray[np.number]) -> NDArray[np.int64]:
    """For every ``value`` (n,) the index of the nearest of ``among`` (m,), in order, m at least 1; of two as
    near the earlier.

    >>> nearest_of(np.array([0.9, 2.5]), np.array([0.0, 1.0, 2.0, 3.0])).tolist()
    [1, 2]
    """
    right = np.clip(np.searchsorted(among, value), 0, len(among) - 1)
    left = np.maximum(right - 1, 0)
    return np.where(np.abs(among[left] - value) <= np.abs(among[right] - value), left, right)


def distance_to_nearest(value: NDArray[np.number], among: NDArray[np.number]) -> NDArray[np.number]:
    """How far from every ``value`` (n,) the nearest of ``among`` (m,), in order, m at least 1, lies, (n,)."""
    return np.abs(among[nearest_of(value, among)] - value)


def strongest_within(
    value: NDArray[np.float64], among: NDArray[np.float64], strength: NDArray[np.float64], reach: float
) -> NDArray[np.int64]:
    """For every ``value`` (n,) the index of the strongest of ``among`` (m,), in order, that is no further
    away than ``reach``, or -1. Two to either side are asked: closer ones than that are one stroke.
    """
    if not len(among):
        return np.full(len(value), -1, np.int64)
    right = np.searchsorted(among, value)
    at = np.clip(right[:, None] + np.array([-2, -1, 0, 1]), 0, len(among) - 1)
    score = np.where(np.abs(among[at] - value[:, None]) <= reach, strength[at], -np.inf)
    best = np.argmax(score, axis=1)
    rows = np.arange(len(value))
    return np.where(score[rows, best] > -np.inf, at[rows, best], -1).astype(np.int64)
