"""Drive: soft saturation at four or eight times the rate, by the mean of the curve between two samples, so
that hardly anything folds back (Parker, Zavalishin and Le Bivic, "Reducing the aliasing of nonlinear
waveshaping using continuous-time convolution", DAFx 2016). The curve is x / √(1 + (2x/π)²): as straight and
as steep as a tangent's hyperbola, and its mean between two samples has no special case. The half sample by
which that is late is taken back on the way down: what comes out is neither late nor early.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from scipy.signal import firwin

from nubrak.core.signal import db_to_gain

_TAPS = 56  # samples that the filters of the way up, and down, hear: half to each side
_CLOSES = 0.9  # of half the rate: the middle of their slope
_HARD_DB = 9.0  # driven further, partials reach further up
_USUAL = 0.25  # a level of −12 dBFS comes out as loud as it went in


class DriveStage(BaseModel):
    """Warmth and edge: what is loud is bent, and comes out as loud as it went in."""

    kind: Literal["drive"] = "drive"
    on: bool = True
    drive_db: float = Field(default=6.0, ge=0, le=24, description="how far it is driven")
    blend_percent: float = Field(
        default=100.0, ge=0, le=100, description="less leaves so much of it as it was, beside"
    )


REACH_SAMPLES = _TAPS


def driven(sound: NDArray[np.float64], stage: DriveStage) -> NDArray[np.float64]:
    """Sound (frames, 2) through the stage. ``REACH_SAMPLES`` at both ends are not as they will be."""
    from nubrak.core.mix.recursions import bent_finely

    if stage.drive_db <= 0 or stage.blend_percent <= 0:
        return sound
    gain = float(db_to_gain(stage.drive_db))
    made_up = _USUAL / _curve(gain * _USUAL)
    up, down = _filters(8 if stage.drive_db > _HARD_DB else 4)
    share = stage.blend_percent / 100
    out = sound.copy()
    edge = np.zeros(_TAPS, np.float32)
    for channel in range(sound.shape[1]):
        if channel and np.array_equal(sound[:, channel], sound[:, 0]):
            out[:, channel] = out[:, 0]
            continue
        plain = np.concatenate([edge[1:], sound[:, channel].astype(np.float32), edge, edge[:1]])
        wet = bent_finely(plain, up, down, gain)
        out[:, channel] = (1 - share) * sound[:, channel] + share * made_up * wet
    return out


def _curve(x: float) -> float:
    return float(x / np.sqrt(1 + (2 * x / np.pi) ** 2))


@lru_cache(maxsize=2)
def _filters(times: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Low-passes at the rate's own half, by phases (times, taps), for the way up and down: the two together
    are late by the taps and early by half a fine sample.
    """
    length = _TAPS * times
    up = firwin(length - 1, _CLOSES / times, window=("kaiser", 8.6)) * times
    down = firwin(length, _CLOSES / times, window=("kaiser", 8.6))
    rows = np.append(up, 0.0).reshape(_TAPS, times)[::-1].T, down.reshape(_TAPS, times).T
    first, second = (np.ascontiguousarray(row, np.float32) for row in rows)
    return first, second
