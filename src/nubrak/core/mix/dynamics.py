"""Dynamics: a compressor that works on level in decibels, after Giannoulis, Massberg and Reiss, "Digital
dynamic range compressor design: a tutorial and analysis", JAES 60, 2012: feed-forward, a soft knee by their
equation 4, and a smooth branching detector behind the curve, so that attack and release are the times in
which the gain has gone 63 % of its way. Levels are told 6000 times a second; between them the gain goes along
a line.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from scipy.signal import butter

from nubrak.core.controls import control

LEVEL_STEP = 8  # samples that a level is told for at once: 0.2 ms
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


def gain_db(sound: NDArray[np.float64], stage: DynamicsStage, rate_hz: int) -> NDArray[np.float64]:
    """How far what is heard (frames, 2) is turned down at the end of every ``LEVEL_STEP`` samples, (steps,)
    in dB: its louder channel says.
    """
    from nubrak.core.mix.recursions import filtered, turned_down

    if stage.hears_from_hz is not None and stage.hears_from_hz < 0.49 * rate_hz:
        sound = filtered(butter(2, stage.hears_from_hz, "highpass", fs=rate_hz, output="sos"), sound)
    attack, release = (
        float(np.exp(-1000 * LEVEL_STEP / (rate_hz * ms))) for ms in (stage.attack_ms, stage.release_ms)
    )
    curve = (float(stage.threshold_db), 1 - 1 / stage.ratio, max(float(stage.knee_db), 1e-9))
    return np.asarray(turned_down(np.ascontiguousarray(sound), curve, attack, release))


def compressed(sound: NDArray[np.float64], stage: DynamicsStage, rate_hz: int) -> NDArray[np.float64]:
    """Sound (frames, 2) through the stage, from silence."""
    from nubrak.core.mix.recursions import gains_of, levelled

    wet = stage.blend_percent / 100

    def turned(of: NDArray[np.float64]) -> NDArray[np.float64]:
        gains = gains_of(gain_db(of, stage, rate_hz), float(stage.make_up_db), wet)
        return np.asarray(levelled(np.ascontiguousarray(of), gains, 0))

    if not stage.apart:
        return turned(sound)
    middle, sides = sound.sum(axis=1) / 2, (sound[:, 0] - sound[:, 1]) / 2
    middle, sides = (turned(np.stack([one, one], axis=1))[:, 0] for one in (middle, sides))
    return np.stack([middle + sides, middle - sides], axis=1)
