"""What the detector hears, made audible: the recording between two frequencies, and nothing moved in time."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import firwin, oaconvolve

TAPS = 2047  # 46 ms at 44.1 kHz: steep enough from 50 Hz on
REACH = TAPS // 2  # how far it looks to either side


@lru_cache(maxsize=64)
def band_taps(low_hz: float, high_hz: float, rate_hz: int) -> NDArray[np.float64]:
    """A symmetric band filter, (TAPS,): 6 dB down at both edges (window method, Hamming)."""
    top = rate_hz / 2
    low, high = min(low_hz, 0.9 * top), min(high_hz, 0.98 * top)
    return np.asarray(firwin(TAPS, [max(low, 5.0), max(high, low + 20.0)], pass_zero=False, fs=rate_hz))


def in_band(around: NDArray[np.float32], low_hz: float, high_hz: float, rate_hz: int) -> NDArray[np.float32]:
    """The middle of ``around`` (REACH + frames + REACH, channels) between two frequencies, (frames,
    channels).
    """
    taps = band_taps(low_hz, high_hz, rate_hz)[:, None]
    return np.asarray(oaconvolve(around.astype(np.float64), taps, mode="valid", axes=0), np.float32)
