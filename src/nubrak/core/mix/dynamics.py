"""Dynamics: a compressor that works on level in decibels, after Giannoulis, Massberg and Reiss, "Digital
dynamic range compressor design: a tutorial and analysis", JAES 60, 2012: feed-forward, a soft knee by their
equation 4, and a smooth branching detector behind the curve, so that attack and release are the times in
which the gain has gone 63 % of its way.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from scipy.signal import butter, sosfilt

from nubrak.core.controls import control

_QUIETEST = 1e-6  # 120 dB under full scale nothing is told apart
_FORGOTTEN = 11.6  # time constants after which 100 dB less is left of how it was begun


class DynamicsStage(BaseModel):
    """What is loud is made softer, and all of it louder again."""

    kind: Literal["dynamics"] = "dynamics"
    on: bool = True
    threshold_db: float = Field(default=-18.0, ge=-60, le=0, description="what is louder goes down")
    ratio: float = Field(
        default=3.0,
        ge=1,
        le=20,
        description="so many dB over the threshold become one",
        json_schema_extra=control(step=0.1, unit=": 1"),
    )
    knee_db: float = Field(default=6.0, ge=0, le=24, description="how softly it begins, around the threshold")
    attack_ms: float = Field(
        default=20.0,
        ge=0.05,
        le=200,
        description="slow lets the stroke itself through",
        json_schema_extra=control(step=0.5, high=100),
    )
    release_ms: float = Field(
        default=90.0, ge=5, le=1000, description="in time with the song it breathes with it"
    )
    make_up_db: float = Field(default=0.0, ge=-12, le=24)
    blend_percent: float = Field(
        default=100.0, ge=0, le=100, description="less leaves so much of it as it was, beside"
    )
    hears_from_hz: float | None = Field(
        default=None,
        ge=20,
        le=1000,
        description="what lies lower does not turn it down; empty: all of it does",
    )
    apart: bool = Field(default=False, description="middle and sides each by itself")


def reach_samples(stage: DynamicsStage, rate_hz: int) -> int:
    """How far back it remembers, in samples."""
    slowest_ms = max(stage.attack_ms, stage.release_ms)
    return round(_FORGOTTEN * slowest_ms / 1000 * rate_hz)


def reduction_db(level_db: NDArray[np.float64], stage: DynamicsStage) -> NDArray[np.float64]:
    """How far a level (n,) that stays is turned down, (n,) in dB, 0 and more: the static curve."""
    over = level_db - stage.threshold_db
    slope = 1 - 1 / stage.ratio
    knee = max(stage.knee_db, 1e-9)
    in_knee = slope * (over + knee / 2) ** 2 / (2 * knee)
    return np.asarray(np.where(over <= -knee / 2, 0.0, np.where(over >= knee / 2, slope * over, in_knee)))


def gain_db(sound: NDArray[np.float64], stage: DynamicsStage, rate_hz: int) -> NDArray[np.float64]:
    """How far what is heard (frames, channels) is turned down, (frames,) in dB: its loudest channel says."""
    from nubrak.core.mix.smoothing import smoothed

    if stage.hears_from_hz is not None and stage.hears_from_hz < 0.49 * rate_hz:
        sound = sosfilt(butter(2, stage.hears_from_hz, "highpass", fs=rate_hz, output="sos"), sound, axis=0)
    level = np.maximum(np.abs(sound).max(axis=1), _QUIETEST)
    wanted = reduction_db(20 * np.log10(level), stage)
    attack, release = (float(np.exp(-1000 / (rate_hz * ms))) for ms in (stage.attack_ms, stage.release_ms))
    return np.asarray(smoothed(wanted, attack, release))


def compressed(sound: NDArray[np.float64], stage: DynamicsStage, rate_hz: int) -> NDArray[np.float64]:
    """Sound (frames, 2) through the stage, from silence."""
    wet = stage.blend_percent / 100

    def gains(of: NDArray[np.float64]) -> NDArray[np.float64]:
        down = gain_db(of, stage, rate_hz)
        return np.asarray((1 - wet) + wet * 10 ** ((stage.make_up_db - down) / 20))[:, None]

    if not stage.apart:
        return sound * gains(sound)
    middle, sides = (sound[:, :1] + sound[:, 1:]) / 2, (sound[:, :1] - sound[:, 1:]) / 2
    middle, sides = middle * gains(middle), sides * gains(sides)
    return np.concatenate([middle + sides, middle - sides], axis=1)
