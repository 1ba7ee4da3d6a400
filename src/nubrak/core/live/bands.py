"""Bands: what a trigger hears of each microphone, as a level per band and hop, from filters that see only the
past.

Butterworth filters of second order to each side (scipy.signal.butter), an octave and a half wide: wide enough
to rise with a stroke within a few milliseconds, narrow enough to tell a kick from a hat.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter

EDGES_HZ = (90.0, 250.0, 700.0, 2000.0, 6000.0)
BANDS = len(EDGES_HZ) + 1
SECTIONS = 2  # second-order sections of each band
HOP_S = 0.0007  # a level is told so often
_LOWEST_HZ, _HIGHEST_HZ = 20.0, 20000.0


def hop_samples(rate_hz: int) -> int:
    """Samples of a hop."""
    return max(round(HOP_S * rate_hz), 1)


def hops_at(times_s: NDArray[np.float64], rate_hz: int) -> NDArray[np.int64]:
    """The hops in which moments of a recording (n,), in s, lie, (n,)."""
    return np.floor(np.asarray(times_s) * rate_hz / hop_samples(rate_hz)).astype(np.int64)


@lru_cache(maxsize=8)
def sections(rate_hz: int) -> NDArray[np.float64]:
    """The filters of all bands, (BANDS, SECTIONS, 5): b0, b1, b2, a1 and a2 of each section."""
    out = np.zeros((BANDS, SECTIONS, 5))
    out[:, :, 0] = 1.0
    edges = (_LOWEST_HZ, *EDGES_HZ, _HIGHEST_HZ)
    for band in range(BANDS):
        low, high = edges[band], edges[band + 1]
        if high < 0.45 * rate_hz:
            sos = butter(2, (low, high), "bandpass", fs=rate_hz, output="sos")
        elif low < 0.45 * rate_hz:
            sos = butter(2, low, "highpass", fs=rate_hz, output="sos")
        else:
            out[band, :, 0] = 0.0
            continue
        out[band, : len(sos)] = sos[:, [0, 1, 2, 4, 5]]
    return out


def inside(low_hz: float, high_hz: float) -> NDArray[np.float64]:
    """How far each band lies between two frequencies, by octaves, (BANDS,), 0 to 1; at least one does."""
    edges = np.log2((_LOWEST_HZ, *EDGES_HZ, _HIGHEST_HZ))
    low, high = np.log2(max(low_hz, 1.0)), np.log2(max(high_hz, 1.0))
    shared = np.minimum(edges[1:], high) - np.maximum(edges[:-1], low)
    out = np.clip(shared / np.diff(edges), 0.0, 1.0)
    if not out.any():
        out[int(np.argmax(shared))] = 1.0
    return np.asarray(out)
