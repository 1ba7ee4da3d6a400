"""Steps: what is done to velocities one after the other, each of which can be switched off, changed or taken
out later.

Velocities stay broken numbers from step to step; only the note is rounded, so that ten small steps lose
nothing.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.controls import control
from nubrak.core.shape.recovery import recovered
from nubrak.core.signal import distance_to_nearest
from nubrak.core.tempo import Tempo, beats_at
from nubrak.core.time_line import TimeLineS

_SAME_STROKE_S = 0.008  # a stroke that a step speaks of is found again within this, as marks are
_BEAT_WEIGHT = 0.7  # from this metrical weight on a place is on the beat
_ON_BEAT = 0.13  # of a quarter: near enough to be heard on it


class Scope(BaseModel):
    """Which strokes a step is for: those between two times, or those chosen; neither: all. Of them those on
    beats or between, if asked.
    """

    start_s: TimeLineS | None = None
    end_s: TimeLineS | None = None
    chosen_s: list[TimeLineS] | None = Field(
        default=None, max_length=200000, description="the strokes chosen, by their attacks"
    )
    places: Literal["all", "on", "between"] = Field(
        default="all", description="of those all, the ones on the beats, or the ones between"
    )


class Step(BaseModel):
    """What every step has."""

    on: bool = True
    scope: Scope = Scope()


class Raise(Step):
    """Louder or softer, all by the same, so that relations in steps stay."""

    kind: Literal["raise"]
    by: float = Field(default=10, ge=-126, le=126, json_schema_extra=control(low=-60, high=60, unit="vel"))


class Scale(Step):
    """Nearer to a pivot, or further from it."""

    kind: Literal["scale"]
    percent: float = Field(default=80, ge=0, le=400, json_schema_extra=control(high=200, unit="%"))
    pivot: float | None = Field(
        default=None, ge=0, le=127, description="empty: their mean", json_schema_extra=control(unit="vel")
    )


class SetTo(Step):
    """All the same."""

    kind: Literal["set"]
    velocity: float = Field(default=100, ge=1, le=127, json_schema_extra=control(unit="vel"))


class EvenOut(Step):
    """Drawn towards the mean of the strokes around each: evener, and still alive."""

    kind: Literal["even"]
    percent: float = Field(default=50, ge=0, le=100, json_schema_extra=control(unit="%"))
    around: int = Field(
        default=4,
        ge=1,
        le=64,
        description="how many strokes on either side make the mean",
        json_schema_extra=control(high=32, unit="±"),
    )


class Randomise(Step):
    """A little different every time, and the same every time it is made."""

    kind: Literal["random"]
    amount: float = Field(
        default=6,
        ge=0,
        le=64,
        description="up to so much, softer or louder",
        json_schema_extra=control(high=40, unit="vel"),
    )
    seed: int = Field(default=1, ge=0, le=2**31 - 1, json_schema_extra=control(high=99, unit="no."))


class Limits(Step):
    """A floor and a ceiling."""

    kind: Literal["limits"]
    floor: float = Field(default=20, ge=1, le=127, json_schema_extra=control(unit="vel"))
    ceiling: float = Field(default=127, ge=1, le=127, json_schema_extra=control(unit="vel"))


class LinePoint(BaseModel):
    """A point of a drawn line."""

    time_s: TimeLineS
    percent: float = Field(ge=0, le=400)


class Line(Step):
    """A ramp or a free line drawn over a range, in percent of what is played."""

    kind: Literal["line"]
    points: list[LinePoint] = Field(min_length=1, max_length=5000)


class Ghosts(Step):
    """Turned into ghosts: soft, with their relations kept."""

    kind: Literal["ghosts"]
    loudest: float = Field(
        default=38,
        ge=1,
        le=127,
        description="the strongest of them becomes this",
        json_schema_extra=control(high=90, unit="vel"),
    )


class Recovery(Step):
    """Fast repeats weaken as a player's do: the hand has not come back yet."""

    kind: Literal["recovery"]
    depth_percent: float = Field(
        default=35, ge=0, le=100, description="how much a stroke right after another loses"
    )
    recovery_ms: float = Field(
        default=180,
        ge=10,
        le=2000,
        description="after this long two thirds of it are back",
        json_schema_extra=control(step=5, low=20, high=800),
    )


class Accents(Step):
    """Beats stronger than what lies between them."""

    kind: Literal["accents"]
    percent: float = Field(
        default=40,
        ge=0,
        le=100,
        description="how much softer the weakest places become",
        json_schema_extra=control(unit="%"),
    )


AnyStep = Annotated[
    Raise | Scale | SetTo | EvenOut | Randomise | Limits | Line | Ghosts | Recovery | Accents,
    Field(discriminator="kind"),
]


def in_scope(time_s: NDArray[np.float64], scope: Scope, tempo: Tempo) -> NDArray[np.bool_]:
    """Which strokes (n,), in order of time, a step is for, (n,)."""
    out = np.ones(len(time_s), bool)
    if scope.places != "all":
        out = (metrical_weight(time_s, tempo) >= _BEAT_WEIGHT) == (scope.places == "on")
    if scope.start_s is not None:
        out &= time_s >= scope.start_s
    if scope.end_s is not None:
        out &= time_s < scope.end_s
    if scope.chosen_s is not None:
        chosen = np.sort(np.asarray(scope.chosen_s, np.float64))
        if not len(chosen):
            return np.zeros(len(time_s), bool)
        out &= distance_to_nearest(time_s, chosen) <= _SAME_STROKE_S
    return out


def stepped(
    velocity: NDArray[np.float64], time_s: NDArray[np.float64], steps: list[AnyStep], tempo: Tempo
) -> NDArray[np.float64]:
    """Velocities (n,) of strokes at ``time_s`` (n,), in order, after every step that is on."""
    velocity = velocity.astype(np.float64)
    for step in steps:
        if not step.on or not len(velocity):
            continue
        rows = np.nonzero(in_scope(time_s, step.scope, tempo))[0]
        if len(rows):
            velocity[rows] = np.clip(_done(step, velocity[rows], time_s[rows], tempo), 0.0, 127.0)
    return velocity


def _done(
    step: AnyStep, velocity: NDArray[np.float64], time_s: NDArray[np.float64], tempo: Tempo
) -> NDArray[np.float64]:
    match step:
        case Raise():
            return velocity + step.by
        case Scale():
            pivot = float(velocity.mean()) if step.pivot is None else step.pivot
            return pivot + (velocity - pivot) * step.percent / 100.0
        case SetTo():
            return np.full(len(velocity), step.velocity)
        case EvenOut():
            return velocity + (_local_mean(velocity, step.around) - velocity) * step.percent / 100.0
        case Randomise():
            return velocity + step.amount * _noise(time_s, step.seed)
        case Limits():
            return np.clip(velocity, step.floor, max(step.ceiling, step.floor))
        case Line():
            points = sorted(step.points, key=lambda point: point.time_s)
            return (
                velocity
                * np.interp(time_s, [point.time_s for point in points], [point.percent for point in points])
                / 100.0
            )
        case Ghosts():
            return velocity * step.loudest / max(float(velocity.max()), 1.0)
        case Recovery():
            return velocity * recovered(time_s, step.depth_percent / 100.0, step.recovery_ms / 1000.0)
        case Accents():
            return velocity * (1.0 - step.percent / 100.0 * (1.0 - metrical_weight(time_s, tempo)))


def _local_mean(velocity: NDArray[np.float64], around: int) -> NDArray[np.float64]:
    sums = np.concatenate([[0.0], np.cumsum(velocity)])
    at = np.arange(len(velocity))
    first, last = np.maximum(at - around, 0), np.minimum(at + around + 1, len(velocity))
    return np.asarray((sums[last] - sums[first]) / (last - first))


def _noise(time_s: NDArray[np.float64], seed: int) -> NDArray[np.float64]:
    """-1 to 1 per stroke, (n,), by where it stands and the seed alone: a stroke added elsewhere changes none
    of the others.

    The mixing is SplitMix64's (Steele, Lea & Flood, OOPSLA 2014).
    """
    with np.errstate(over="ignore"):
        state = np.round(time_s * 1000.0).astype(np.int64).astype(np.uint64) + np.uint64(seed) * np.uint64(
            0x9E3779B97F4A7C15
        )
        state += np.uint64(0x9E3779B97F4A7C15)
        state = (state ^ (state >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        state = (state ^ (state >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        state ^= state >> np.uint64(31)
    return np.asarray((state >> np.uint64(11)).astype(np.float64) / 2.0**52 - 1.0)


def metrical_weight(time_s: NDArray[np.float64], tempo: Tempo) -> NDArray[np.float64]:
    """How strong a place in the bar each stroke stands on, 0 to 1, (n,): the bar line most, then half of it,
    beats, eighths, the rest (the hierarchy of Lerdahl & Jackendoff, "A generative theory of tonal music",
    1983).
    """
    beats = beats_at(tempo, time_s)
    bar = tempo.bar_beats
    beat = 4.0 / tempo.beat_unit
    out = np.zeros(len(time_s))
    levels = [(beat / 2, 0.35), (beat, _BEAT_WEIGHT), (bar, 1.0)]
    if tempo.beats_per_bar % 2 == 0 and tempo.beats_per_bar > 2:
        levels.insert(2, (bar / 2, 0.85))
    for length, weight in levels:
        on = np.abs(beats / length - np.round(beats / length)) * length <= _ON_BEAT
        out[on] = np.maximum(out[on], weight)
    return out
