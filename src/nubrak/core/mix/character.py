"""Character: a part's rhythm cut again on the grid, and a filter that moves slowly with the bars. Neither is
ever on by itself. What a sample becomes depends on its place on the time line alone.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.controls import control
from nubrak.core.mix.dynamics import LEVEL_STEP
from nubrak.core.tempo import Tempo, beats_at, seconds_at

StepCut = Literal["as played", "repeat", "reverse", "stutter 2", "stutter 3", "stutter 4", "silent"]
_JOINT_S = 0.0015  # over which one piece gives way to the next, before it begins
_GONE = 16.0  # time constants after which a filter's memory is 140 dB down
Piece = tuple[int, int, int, int]  # from, to, the source's sample at its beginning, and 1, −1 or 0 for none


class RecutStage(BaseModel):
    """Steps of the grid played again, backwards, or in pieces."""

    kind: Literal["re-cut"] = "re-cut"
    on: bool = True
    step: Literal[4, 8, 16] = Field(default=16, description="the note value of a step: 16 is a sixteenth")
    steps: list[StepCut] = Field(
        default=[], max_length=64, description="what each step becomes, from bar 1 on and then over again"
    )


class SweepStage(BaseModel):
    """A filter that goes up and down with the bars."""

    kind: Literal["sweep"] = "sweep"
    on: bool = True
    takes: Literal["highs", "lows"] = Field(default="highs", description="what it takes away")
    from_hz: float = Field(default=400.0, ge=40, le=18000, description="where it stands at its beginning")
    to_hz: float = Field(default=8000.0, ge=40, le=18000, description="where it stands half way")
    every_beats: float = Field(
        default=16.0,
        ge=0.5,
        le=128,
        description="quarter notes from one beginning to the next",
        json_schema_extra=control(step=0.5, unit="quarters"),
    )
    ring: float = Field(
        default=0.7,
        ge=0.5,
        le=8,
        description="how much it rings where it stands",
        json_schema_extra=control(step=0.1),
    )
    blend_percent: float = Field(
        default=100.0, ge=0, le=100, description="less leaves so much of it as it was, beside"
    )


def recut_reach_samples(stage: RecutStage, tempo: Tempo, rate_hz: int) -> int:
    """How far back and ahead it reads, in samples: a step, the longest there is."""
    slowest = min([tempo.bpm, *(change.bpm for change in tempo.changes)])
    return int(np.ceil((4 / stage.step * 60 / slowest + 2 * _JOINT_S) * rate_hz)) + 2


def recut(
    sound: NDArray[np.float64], stage: RecutStage, tempo: Tempo, rate_hz: int, start: int
) -> NDArray[np.float64]:
    """Sound (frames, 2) from sample ``start`` on as its steps are cut. What ``recut_reach_samples`` at both
    ends becomes is not as it will be.
    """
    joint = max(round(_JOINT_S * rate_hz), 1)
    pieces = _pieces(stage, tempo, rate_hz, start, start + len(sound) + joint)
    out = np.zeros_like(sound)
    rise = 0.5 - 0.5 * np.cos(np.pi * (np.arange(joint) + 0.5) / joint)
    for number, (begin, end, source, way) in enumerate(pieces):
        last = number == len(pieces) - 1
        first = begin - joint if number else begin
        at = np.arange(max(first, start), min(end, start + len(sound)))
        if not len(at) or not way:
            continue
        read = source + way * (at - begin) - start
        weight = np.ones(len(at))
        if number:
            early = at < begin
            weight[early] = rise[at[early] - begin + joint]
        if not last:
            late = at >= end - joint
            weight[late] *= 1.0 - rise[at[late] - end + joint]
        there = (read >= 0) & (read < len(sound))
        out[at[there] - start] += weight[there, None] * sound[read[there]]
    return out


def _pieces(stage: RecutStage, tempo: Tempo, rate_hz: int, start: int, end: int) -> list[Piece]:
    """What is played from ``start`` to ``end``, in order and without a gap; what follows itself is one."""
    length_beats = 4.0 / stage.step
    first, last = np.floor(beats_at(tempo, np.array([start, end]) / rate_hz) / length_beats).astype(int)
    numbers = np.arange(first - 1, last + 3)
    edges = np.round(seconds_at(tempo, numbers * length_beats) * rate_hz).astype(np.int64).tolist()
    out: list[Piece] = []
    for k in range(1, len(numbers) - 1):
        before, begin, after = edges[k - 1], edges[k], edges[k + 1]
        for piece in _cut(stage.steps[int(numbers[k]) % len(stage.steps)], before, begin, after):
            same = out and out[-1][3] == piece[3] == 1 and out[-1][2] - out[-1][0] == piece[2] - piece[0]
            out[-1:] = [(out[-1][0], piece[1], out[-1][2], 1)] if same else [*out[-1:], piece]
    return out


def _cut(said: StepCut, before: int, begin: int, after: int) -> list[Piece]:
    """The pieces that one step, from ``begin`` to ``after``, becomes; the one before began at ``before``."""
    match said:
        case "as played":
            return [(begin, after, begin, 1)]
        case "repeat":
            return [(begin, after, before, 1)]
        case "reverse":
            return [(begin, after, after - 1, -1)]
        case "silent":
            return [(begin, after, begin, 0)]
        case _:
            times = int(said[-1])
            edges = [begin + (after - begin) * k // times for k in range(times + 1)]
            return [(edges[k], edges[k + 1], begin, 1) for k in range(times)]


def sweep_reach_samples(stage: SweepStage, rate_hz: int) -> int:
    """How far back it remembers, in samples: where it stands lowest."""
    lowest = min(stage.from_hz, stage.to_hz)
    # Under its own ring a filter of two poles forgets by its slower one.
    damping = 1 / (2 * stage.ring)
    slower = damping if damping <= 1 else damping - np.sqrt(damping**2 - 1)
    return int(np.ceil(_GONE / (2 * np.pi * lowest * slower) * rate_hz))


def swept_by(
    sound: NDArray[np.float64], stage: SweepStage, tempo: Tempo, rate_hz: int, start: int
) -> NDArray[np.float64]:
    """Sound (frames, 2) from sample ``start`` on through the filter, from rest."""
    from nubrak.core.mix.recursions import swept

    at = start + LEVEL_STEP * np.arange(-(-len(sound) // LEVEL_STEP))
    turn = beats_at(tempo, at / rate_hz) / stage.every_beats
    way = 0.5 - 0.5 * np.cos(2 * np.pi * turn)
    hz = np.minimum(stage.from_hz * (stage.to_hz / stage.from_hz) ** way, 0.45 * rate_hz)
    wet = swept(
        np.ascontiguousarray(sound), np.tan(np.pi * hz / rate_hz), 1 / stage.ring, stage.takes == "lows"
    )
    share = stage.blend_percent / 100
    return np.asarray((1 - share) * sound + share * wet)
