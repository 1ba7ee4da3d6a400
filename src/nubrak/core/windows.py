"""Windows cut from a long signal, without a padded copy of it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def windows_at(mono: NDArray[np.float32], begins: NDArray[np.int64], size: int) -> NDArray[np.float32]:
    """``size`` samples of ``mono`` (frames,) from each of ``begins`` (n,) on, (n, size); silence where the signal is not."""
    places = begins[:, None] + np.arange(size)
    out = mono[np.clip(places, 0, len(mono) - 1)]
    edge = (begins < 0) | (begins + size > len(mono))
    if edge.any():
        out[edge] *= (places[edge] >= 0) & (places[edge] < len(mono))
    return out
