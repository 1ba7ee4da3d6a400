"""Pictures of recordings: tiles of smallest and largest samples."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.gather import one_channel
from nubrak.core.problem import Problem
from nubrak.core.signal import tile
from nubrak.desk.desk import Desk

_MOST_EXPONENT = 24  # bins of 2**24 samples: an hour in a dozen of them


def peak_tile(desk: Desk, audio: str, exponent: int, index: int) -> bytes:
    """Smallest and largest samples, little-endian int16 pairs, of one tile of bins of 2**exponent samples."""
    cancels = desk.facts(audio).cancels
    if not (0 <= exponent <= _MOST_EXPONENT and 0 <= index < 1 << 32):
        raise Problem("There is no such picture.", kind="missing")

    def stretch(begin: int, end: int) -> NDArray[np.float32]:
        return one_channel(desk.cache.decoded(audio)[begin:end], cancels)

    return tile(desk.cache.peaks_base(audio), stretch, exponent, index).astype("<i2").tobytes()
