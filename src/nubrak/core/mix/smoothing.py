"""What a compressor's gain does between two samples, compiled: a recursion that no array operation has."""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray


@numba.njit(cache=True, nogil=True)
def smoothed(wanted: NDArray[np.float64], attack: float, release: float) -> NDArray[np.float64]:
    """``wanted`` (n,) followed from zero: up by the coefficient ``attack``, down by ``release``, (n,)."""
    out = np.empty(len(wanted))
    now = 0.0
    for n in range(len(wanted)):
        keep = attack if wanted[n] > now else release
        now = keep * now + (1.0 - keep) * wanted[n]
        out[n] = now
    return out
