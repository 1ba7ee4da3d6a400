"""Dither: from float to whole steps without distortion that follows the signal (Lipshitz, Wannamaker &
Vanderkooy, "Quantization and dither: a theoretical survey", JAES 40(5), 1992): triangular, two steps wide, so
that mean and power of the error do not depend on the signal.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

_BLOCK = 1 << 16  # frames whose noise is one stretch of the pool
_POOL = 1 << 21  # long enough that no ear finds it again (47 s at 44.1 kHz)
_MOST_CHANNELS = 2  # noise of its own for each


def dithered(audio: NDArray[np.float32], bits: int, start: int = 0, seed: int = 1) -> NDArray[np.int32]:
    """Samples (frames, 1 or 2), full scale 1, that begin at frame ``start``, as whole numbers of so many
    bits, at the top of 32.

    The noise depends on the place and the ``seed`` alone, so a file printed in other windows is the same
    file; files that will be added up take seeds of their own, so that their noise does not add up in step.
    What is over full scale is cut off.
    """
    steps, up = float(1 << (bits - 1)), float(1 << (32 - bits))
    out = np.empty(audio.shape, np.int32)
    at = 0
    while at < len(audio):
        block, inside = divmod(start + at, _BLOCK)
        take = min(_BLOCK - inside, len(audio) - at)
        sound = np.multiply(audio[at : at + take], steps, dtype=np.float64)
        sound += _noise(block, audio.shape[1], seed)[inside : inside + take]
        np.rint(sound, out=sound)
        np.clip(sound, -steps, steps - 1.0, out=sound)
        sound *= up
        out[at : at + take] = sound
        at += take
    return out


@lru_cache(maxsize=1)
def _pool() -> NDArray[np.float32]:
    """Triangular noise in steps, the difference of two even ones, (_POOL + _MOST_CHANNELS * _BLOCK,)."""
    even = np.random.default_rng(20).random((2, _POOL + _MOST_CHANNELS * _BLOCK), dtype=np.float32)
    return np.asarray(even[0] - even[1])


def _noise(block: int, channels: int, seed: int) -> NDArray[np.float32]:
    """The noise of one block, (_BLOCK, channels): a stretch of the pool from a place that looks like
    chance.
    """
    place = int(np.random.SeedSequence([seed, block, channels]).generate_state(1)[0]) % _POOL
    return _pool()[place : place + channels * _BLOCK].reshape(_BLOCK, channels)
