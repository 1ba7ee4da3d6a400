"""Drive: soft saturation at eight times the rate, by the mean of the curve between two samples, so that
hardly anything folds back (Parker, Zavalishin and Le Bivic, "Reducing the aliasing of nonlinear waveshaping
using continuous-time convolution", DAFx 2016). The half sample by which that is late is taken back on the way
down: what comes out is neither late nor early.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from scipy.signal import firwin, upfirdn

from nubrak.core.signal import db_to_gain

_TIMES = 8
_REACH = 48  # samples that the filters of the way up, and down, hear to each side
_USUAL = 0.25  # a level of −12 dBFS comes out as loud as it went in
_NEAR = 1e-5  # two samples nearer than this have the curve's own value between them


class DriveStage(BaseModel):
    """Warmth and edge: what is loud is bent, and comes out as loud as it went in."""

    kind: Literal["drive"] = "drive"
    on: bool = True
    drive_db: float = Field(default=6.0, ge=0, le=24, description="how far it is driven")
    blend_percent: float = Field(
        default=100.0, ge=0, le=100, description="less leaves so much of it as it was, beside"
    )


REACH_SAMPLES = 2 * _REACH


def driven(sound: NDArray[np.float64], stage: DriveStage) -> NDArray[np.float64]:
    """Sound (frames, 2) through the stage. ``REACH_SAMPLES`` at both ends are not as they will be."""
    if stage.drive_db <= 0 or stage.blend_percent <= 0:
        return sound
    gain = float(db_to_gain(stage.drive_db))
    made_up = _USUAL / np.tanh(gain * _USUAL)
    up, down = _filters()
    wet = np.empty_like(sound)
    for channel in range(sound.shape[1]):
        fine = gain * upfirdn(up, sound[:, channel], up=_TIMES)
        bent = _mean_between(fine)
        whole = upfirdn(down, bent, down=_TIMES)
        late = 2 * _REACH
        wet[:, channel] = made_up * whole[late : late + len(sound)]
    share = stage.blend_percent / 100
    return (1 - share) * sound + share * wet


def _filters() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Low-passes at the rate's own half, for the way up and down: the second is longer by one and earlier by
    half a sample.
    """
    length = 2 * _REACH * _TIMES
    up = firwin(length + 1, 0.94 / _TIMES, window=("kaiser", 9.0)) * _TIMES
    down = firwin(length, 0.94 / _TIMES, window=("kaiser", 9.0))
    return up, down


def _mean_between(fine: NDArray[np.float64]) -> NDArray[np.float64]:
    """The mean of tanh between each sample and the one before it, (n,)."""
    before = np.concatenate([fine[:1], fine[:-1]])
    gap = fine - before
    near = np.abs(gap) < _NEAR

    # ln cosh x without overflow.
    def whole(x: NDArray[np.float64]) -> NDArray[np.float64]:
        size = np.abs(x)
        return np.asarray(size + np.log1p(np.exp(-2 * size)) - np.log(2))

    mean = (whole(fine) - whole(before)) / np.where(near, 1.0, gap)
    return np.where(near, np.tanh((fine + before) / 2), mean)
