"""Windows cut from a long signal, without a padded copy of it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

# A sound that gives any stretch of itself: (start, frames) → (frames, channels).
Stretch = Callable[[int, int], NDArray[np.float32]]


def windows_at(mono: NDArray[np.float32], begins: NDArray[np.int64], size: int) -> NDArray[np.float32]:
    """``size`` samples of ``mono`` (frames,) from each of ``begins`` (n,) on, (n, size); silence where the
    signal is not.
    """
    whole = (begins >= 0) & (begins + size <= len(mono))
    if whole.all():
        # Whole rows are copied several times faster than sample by sample.
        return sliding_window_view(mono, size)[begins] if len(begins) else np.zeros((0, size), mono.dtype)
    out = np.zeros((len(begins), size), mono.dtype)
    if whole.any():
        out[whole] = sliding_window_view(mono, size)[begins[whole]]
    for row in np.nonzero(~whole)[0].tolist():
        first, last = max(int(begins[row]), 0), min(int(begins[row]) + size, len(mono))
        if first < last:
            out[row, first - int(begins[row]) : last - int(begins[row])] = mono[first:last]
    return out
