"""Peaks for drawing: the smallest and largest sample of every bin, as a pyramid of halving detail."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

BASE_EXPONENT = 6  # the finest kept level has 2**6 = 64 samples in a bin
TILE_BINS = 1024  # of a tile: about as wide as a window is
FULL_SCALE = 32767  # of the 16 bits that a picture is kept in


def extremes(mono: NDArray[np.float32], bin_frames: int) -> NDArray[np.int16]:
    """Minimum and maximum of every ``bin_frames`` samples of ``mono`` (frames,): int16 (bins, 2), full scale
    at 32767.

    The last bin may be shorter. Samples beyond full scale are clipped in the picture only.
    """
    if not len(mono):
        return np.zeros((0, 2), np.int16)
    starts = np.arange(0, len(mono), bin_frames)
    both = np.stack([np.minimum.reduceat(mono, starts), np.maximum.reduceat(mono, starts)], axis=1)
    return np.asarray(np.round(np.clip(both, -1.0, 1.0) * FULL_SCALE), dtype=np.int16)


def coarser(peaks: NDArray[np.int16], factor: int) -> NDArray[np.int16]:
    """Join every ``factor`` bins of ``peaks`` (bins, 2) into one."""
    if factor == 1 or not len(peaks):
        return peaks
    starts = np.arange(0, len(peaks), factor)
    return np.stack(
        [np.minimum.reduceat(peaks[:, 0], starts), np.maximum.reduceat(peaks[:, 1], starts)], axis=1
    )


def tile(
    base: NDArray[np.int16], stretch: Callable[[int, int], NDArray[np.float32]], exponent: int, index: int
) -> NDArray[np.int16]:
    """Bins ``index * TILE_BINS`` onwards at 2**exponent samples a bin, at most ``TILE_BINS`` of them.

    ``base`` is ``extremes(mono, 2**BASE_EXPONENT)``; finer levels are read from the signal itself, of which
    ``stretch`` gives the samples from one frame up to another, (frames,).
    """
    if exponent < BASE_EXPONENT:
        frames = TILE_BINS << exponent
        return extremes(stretch(index * frames, (index + 1) * frames), 1 << exponent)
    bins = TILE_BINS << (exponent - BASE_EXPONENT)
    return coarser(base[index * bins : (index + 1) * bins], 1 << (exponent - BASE_EXPONENT))
