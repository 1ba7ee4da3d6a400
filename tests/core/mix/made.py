"""Sounds that are given to stages."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np


def stretch_of(sound: np.ndarray) -> Callable[[int, int], np.ndarray]:
    """Any stretch of a sound (frames, 2), silent where it is not."""

    def plain(start: int, frames: int) -> np.ndarray:
        out = np.zeros((frames, 2), np.float32)
        low, high = max(start, 0), min(start + frames, len(sound))
        if low < high:
            out[low - start : high - start] = sound[low:high]
        return out

    return plain
