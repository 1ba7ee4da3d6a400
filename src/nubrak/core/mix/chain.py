"""Chains: stages one after the other, for any window of time.

Stages with a memory would make a window depend on where it begins, so they run over blocks on a grid of
their own, each begun so early that how it was begun has died away, and read so far ahead as any of them
looks. Every stage comes out when it went in, so paths that are summed agree to the sample.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from itertools import groupby
from threading import Lock
from typing import Annotated, Literal

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.controls import control
from nubrak.core.mix.attack_body import AttackBodyStage, sharpened
from nubrak.core.mix.character import (
    RecutStage,
    SweepStage,
    recut,
    recut_reach_samples,
    sweep_reach_samples,
    swept_by,
)
from nubrak.core.mix.drive import REACH_SAMPLES, DriveStage, driven
from nubrak.core.mix.dynamics import LEVEL_STEP, DynamicsStage, compressed, reach_samples
from nubrak.core.mix.equaliser import CutsStage, EqualiserStage, rings_samples, sections_of
from nubrak.core.names import Name
from nubrak.core.signal import Stretch
from nubrak.core.tempo import Tempo

BLOCK = 1 << 16
_GONE_DB = 140.0  # under what went in, a filter's memory is over
_MOST_KEPT_BYTES = 96 << 20
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


Stage = (
    CutsStage
    | EqualiserStage
    | DynamicsStage
    | AttackBodyStage
    | DriveStage
    | WidthStage
    | RecutStage
    | SweepStage
)
AnyStage = Annotated[Stage, Field(discriminator="kind")]


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
        case RecutStage():
            return all(one == "as played" for one in stage.steps)
        case SweepStage():
            return stage.blend_percent <= 0


def active(chain: list[Stage]) -> list[Stage]:
    """The stages that do something."""
    return [one for one in chain if one.on and not changes_nothing(one)]


_FILTERS = CutsStage, EqualiserStage


class KeptChain(BaseModel):
    """A chain under a name, for every session."""

    name: Name = Field(min_length=1, max_length=80)
    chain: list[AnyStage] = Field(max_length=16)


@dataclass(frozen=True)
class Played:
    """What stages know of what goes through them: where it is struck, ``hit_samples`` (n,) in order, and the
    tempo it is in.
    """

    rate_hz: int
    hit_samples: NDArray[np.int64]
    tempo: Tempo = field(default_factory=Tempo)


@dataclass(frozen=True)
class Blocks:
    """Blocks that have gone through stages, kept while there is room, for those who ask for the same again.
    Threads may share it.
    """

    _kept: LRUCache[Hashable, NDArray[np.float32]] = field(
        default_factory=lambda: LRUCache(_MOST_KEPT_BYTES, lambda block: block.nbytes)
    )
    _lock: Lock = field(default_factory=Lock)

    def get(self, key: Hashable, make: Callable[[], NDArray[np.float32]]) -> NDArray[np.float32]:
        """The block of this key, made where it is not kept."""
        with self._lock:
            found = self._kept.get(key)
        if found is None:
            found = make()
            with self._lock:
                self._kept[key] = found
        return found


def lead_samples(chain: list[Stage], played: Played) -> int:
    """How far back stages remember, all of them together."""
    return sum(_reach(one, played)[0] for one in chain)


def through(
    chain: list[Stage],
    plain: Stretch,
    played: Played,
    start: int,
    frames: int,
    blocks: Blocks | None = None,
    key: Hashable = None,
) -> NDArray[np.float32]:
    """The samples ``start`` to ``start + frames`` of what ``plain`` gives, (frames, 2), through the stages
    that are on. With ``blocks`` each is kept under the ``key`` of what goes through.
    """
    stages = active(chain)
    if not stages:
        return plain(start, frames)
    lead = lead_samples(stages, played)
    ahead = sum(_reach(one, played)[1] for one in stages)
    out = np.empty((frames, 2), np.float32)
    for number in range(start // BLOCK, -(-(start + frames) // BLOCK)):
        begin = number * BLOCK

        def made(begin: int = begin) -> NDArray[np.float32]:
            sound = plain(begin - lead, lead + BLOCK + ahead)
            return _all(stages, sound, played, begin - lead, lead, BLOCK)

        block = blocks.get((key, number), made) if blocks and key is not None else made()
        low, high = max(begin, start), min(begin + BLOCK, start + frames)
        out[low - start : high - start] = block[low - begin : high - begin]
    return out


def _all(
    stages: list[Stage], sound: NDArray[np.float32], played: Played, start: int, lead: int, frames: int
) -> NDArray[np.float32]:
    """What becomes of ``frames`` of a sound, which come after ``lead`` of it and begin it at ``start``."""
    from nubrak.core.mix.recursions import filtered, handed_on, taken_in

    made, largest, numbers = taken_in(np.ascontiguousarray(sound))
    if numbers and not largest:
        return np.zeros((frames, 2), np.float32)
    if not numbers or largest > _LOUDEST:
        made = np.clip(np.nan_to_num(made, nan=0.0, posinf=_LOUDEST, neginf=-_LOUDEST), -_LOUDEST, _LOUDEST)
    for is_filter, group in groupby(stages, lambda one: isinstance(one, CutsStage | EqualiserStage)):
        these = list(group)
        if is_filter:
            rows = [sections_of(one, played.rate_hz) for one in these if isinstance(one, _FILTERS)]
            made = np.asarray(filtered(np.concatenate(rows), made))
        for stage in these:
            made = made if is_filter else _one(stage, made, played, start)
            # What only this stage had to hear is not worth another's time.
            early, late = _reach(stage, played)
            early = min(early, lead)
            made, start, lead = made[early : len(made) - late], start + early, lead - early
    return np.asarray(handed_on(made, lead, frames, _LOUDEST))


def _one(stage: Stage, sound: NDArray[np.float64], played: Played, start: int) -> NDArray[np.float64]:
    rate_hz = played.rate_hz
    match stage:
        case CutsStage() | EqualiserStage():
            raise AssertionError("filters go together")
        case DynamicsStage():
            return compressed(sound, stage, rate_hz)
        case AttackBodyStage():
            return sharpened(sound, stage, played.hit_samples, rate_hz, start)
        case DriveStage():
            return driven(sound, stage)
        case WidthStage():
            middle = sound.mean(axis=1, keepdims=True)
            return middle + (sound - middle) * stage.width_percent / 100
        case RecutStage():
            return recut(sound, stage, played.tempo, rate_hz, start)
        case SweepStage():
            return swept_by(sound, stage, played.tempo, rate_hz, start)


def _reach(stage: Stage, played: Played) -> tuple[int, int]:
    """How far a stage remembers, in whole steps of what is told less often, and how far it looks ahead, in
    samples.
    """
    early, late = _memory(stage, played)
    return -(-early // LEVEL_STEP) * LEVEL_STEP, late


def _memory(stage: Stage, played: Played) -> tuple[int, int]:
    rate_hz = played.rate_hz
    match stage:
        case CutsStage() | EqualiserStage():
            return rings_samples(stage, rate_hz, _GONE_DB), 0
        case DynamicsStage():
            return reach_samples(stage, rate_hz), 0
        case DriveStage():
            return REACH_SAMPLES, REACH_SAMPLES
        case RecutStage():
            step = recut_reach_samples(stage, played.tempo, rate_hz)
            return step, step
        case SweepStage():
            return sweep_reach_samples(stage, rate_hz), 0
        case _:
            return 0, 0
