"""Chains: stages one after the other, for any window of time.

Stages with a memory would make a window depend on where it begins, so they run over blocks on a grid of
their own, each begun so early that how it was begun has died away, and read so far ahead as any of them
looks. Every stage comes out when it went in, so paths that are summed agree to the sample.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from scipy.signal import sosfilt

from nubrak.core.controls import control
from nubrak.core.mix.attack_body import AttackBodyStage, stroke_gain
from nubrak.core.mix.drive import REACH_SAMPLES, DriveStage, driven
from nubrak.core.mix.dynamics import DynamicsStage, compressed, reach_samples
from nubrak.core.mix.equaliser import CutsStage, EqualiserStage, rings_samples, sections_of

_BLOCK = 1 << 16
_GONE_DB = 200.0  # under what went in, a filter's memory is over
_LOUDEST = 1e3  # 60 dB over full scale: nothing that is heard, and no stage makes nonsense of it


class WidthStage(BaseModel):
    """How far apart left and right are."""

    kind: Literal["width"] = "width"
    on: bool = True
    width_percent: float = Field(
        default=100.0,
        ge=0,
        le=200,
        description="0 is one place, 100 as it was, 200 twice as wide",
        json_schema_extra=control(step=5),
    )


Stage = CutsStage | EqualiserStage | DynamicsStage | AttackBodyStage | DriveStage | WidthStage
AnyStage = Annotated[Stage, Field(discriminator="kind")]
Stretch = Callable[[int, int], NDArray[np.float32]]  # (start, frames) → (frames, 2)


def changes_nothing(stage: Stage) -> bool:
    """Whether a stage that is on leaves everything as it is."""
    match stage:
        case CutsStage():
            return stage.low_cut_hz is None and stage.high_cut_hz is None
        case EqualiserStage():
            return not any(band.by_db for band in stage.bands)
        case DynamicsStage():
            return stage.blend_percent <= 0 or (stage.ratio <= 1 and not stage.make_up_db)
        case AttackBodyStage():
            return not stage.attack_db and not stage.body_db
        case DriveStage():
            return stage.drive_db <= 0 or stage.blend_percent <= 0
        case WidthStage():
            return stage.width_percent == 100


def active(chain: list[Stage]) -> list[Stage]:
    """The stages that do something."""
    return [one for one in chain if one.on and not changes_nothing(one)]


def through(
    chain: list[Stage], plain: Stretch, hit_samples: NDArray[np.int64], rate_hz: int, start: int, frames: int
) -> NDArray[np.float32]:
    """The samples ``start`` to ``start + frames`` of what ``plain`` gives, (frames, 2), through the stages
    that are on; ``hit_samples`` (n,), in order, are where it is struck.
    """
    stages = active(chain)
    if not stages:
        return plain(start, frames)
    reaches = [_reach(one, rate_hz) for one in stages]
    lead, ahead = (sum(of[k] for of in reaches) for k in (0, 1))
    out = np.empty((frames, 2), np.float32)
    for number in range(start // _BLOCK, -(-(start + frames) // _BLOCK)):
        begin = number * _BLOCK
        sound = plain(begin - lead, lead + _BLOCK + ahead)
        made = _all(stages, sound, hit_samples, rate_hz, begin - lead)[lead : lead + _BLOCK]
        low, high = max(begin, start), min(begin + _BLOCK, start + frames)
        out[low - start : high - start] = made[low - begin : high - begin]
    return out


def _all(
    stages: list[Stage], sound: NDArray[np.float32], hits: NDArray[np.int64], rate_hz: int, start: int
) -> NDArray[np.float64]:
    made = sound.astype(np.float64)
    if not made.any():
        return made
    made = np.clip(np.nan_to_num(made, nan=0.0, posinf=_LOUDEST, neginf=-_LOUDEST), -_LOUDEST, _LOUDEST)
    for stage in stages:
        made = _one(stage, made, hits, rate_hz, start)
    return np.clip(made, -_LOUDEST, _LOUDEST)


def _one(
    stage: Stage, sound: NDArray[np.float64], hits: NDArray[np.int64], rate_hz: int, start: int
) -> NDArray[np.float64]:
    match stage:
        case CutsStage() | EqualiserStage():
            return np.asarray(sosfilt(sections_of(stage, rate_hz), sound, axis=0))
        case DynamicsStage():
            return compressed(sound, stage, rate_hz)
        case AttackBodyStage():
            return sound * stroke_gain(stage, hits, rate_hz, start, len(sound))[:, None]
        case DriveStage():
            return driven(sound, stage)
        case WidthStage():
            middle = sound.mean(axis=1, keepdims=True)
            return middle + (sound - middle) * stage.width_percent / 100


def _reach(stage: Stage, rate_hz: int) -> tuple[int, int]:
    """How far a stage remembers and how far it looks ahead, in samples."""
    match stage:
        case CutsStage() | EqualiserStage():
            return rings_samples(sections_of(stage, rate_hz), rate_hz, _GONE_DB), 0
        case DynamicsStage():
            return reach_samples(stage, rate_hz), 0
        case DriveStage():
            return REACH_SAMPLES, REACH_SAMPLES
        case _:
            return 0, 0
