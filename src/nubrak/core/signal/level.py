"""Levels in decibels relative to full scale.

0 dBFS is the level of a full-scale sine, as AES17 defines it: a mean square of 1/2. A square wave at full
scale therefore reads +3.01 dBFS.
"""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Decibels = TypeVar("Decibels", float, NDArray[np.float64])
FLOOR_DB = -120.0  # under the noise of 20 bits: what is not there has this level
# 300 dB under full scale. Added to what goes through a filter with a memory: in silence it would else ring
# down to numbers so small that processors work on them a hundred times slower.
INAUDIBLE = 1e-15
_FLOOR_POWER = 10.0 ** (FLOOR_DB / 10.0)  # the same as a power


def power_to_db(mean_square: NDArray[np.floating]) -> NDArray[np.float64]:
    """Mean squares (any shape) to dBFS (AES17), never under ``FLOOR_DB``."""
    return np.asarray(10.0 * np.log10(np.maximum(2.0 * np.asarray(mean_square, np.float64), _FLOOR_POWER)))


def db_to_gain(level_db: float) -> float:
    """Decibels to an amplitude factor."""
    return float(10.0 ** (level_db / 20.0))


def db_to_power(level_db: Decibels) -> Decibels:
    """Decibels (any shape) to a factor on power."""
    return 10.0 ** (level_db / 10.0)


def power_ratio_to_db(ratio: NDArray[np.floating] | float, least: float = 1e-12) -> NDArray[np.float64]:
    """A factor on power (any shape), never under ``least``, to decibels."""
    return np.asarray(10.0 * np.log10(np.maximum(ratio, least)))
