"""Meters: peak and momentary loudness along a stretch, ten times a second."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.signal import sosfilt

from nubrak.core.signal.level import INAUDIBLE, db_to_gain, power_ratio_to_db
from nubrak.core.signal.loudness import SILENT_LKFS, k_weighting

STEP_S = 0.1  # how often a meter is read
EARLY_S = 0.8  # the filters settle, and a momentary loudness looks 400 ms back
_BACK = 4  # steps in the 400 ms of momentary loudness (EBU Tech 3341)
_LEAST_DB = -120.0  # what silence reads


def metered(
    sound: NDArray[np.float32], rate_hz: int, early: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Peak in dBFS and momentary loudness in LKFS (ITU-R BS.1770, 400 ms; EBU Tech 3341) of every tenth of a
    second, (n,) each.

    ``sound`` (frames, 2) begins ``early`` samples before the stretch, at least ``EARLY_S``.
    """
    step = round(STEP_S * rate_hz)
    body = sound[early:]
    count = -(-len(body) // step)
    if not sound.any():
        return np.full(count, _LEAST_DB), np.full(count, SILENT_LKFS)
    padded = np.pad(body, ((0, count * step - len(body)), (0, 0)))
    peak = np.abs(padded).reshape(count, -1).max(axis=1, initial=0.0)
    plain = np.pad(sound.astype(np.float64), ((0, count * step - len(body)), (0, 0)))
    plain[::2] += INAUDIBLE
    weighted = sosfilt(k_weighting(rate_hz), plain, axis=0)
    back = (_BACK - 1) * step
    weighted = weighted[early - back :] if early >= back else np.pad(weighted, ((back - early, 0), (0, 0)))
    power = (weighted[: len(weighted) // step * step].reshape(-1, step, 2) ** 2).sum(axis=(1, 2))
    sums = np.concatenate([np.zeros(1), np.cumsum(power)])
    blocks = (sums[_BACK:] - sums[:-_BACK]) / (_BACK * step)
    loud = np.where(blocks > 1e-12, -0.691 + power_ratio_to_db(blocks, 1e-12), SILENT_LKFS)
    return 20.0 * np.log10(np.maximum(peak, db_to_gain(_LEAST_DB))), loud[:count]
