"""Timing: strokes drawn to a grid or a feel as far as wanted, and moved as a whole. As played by default, to
the sample.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.controls import control
from nubrak.core.shape.feel import Feel
from nubrak.core.tempo import Grid, Tempo, beats_at, seconds_at

GESTURE_MS = (
    45.0  # a flam's grace note or a drag's two stand at most this far from the next (common practice)
)


class Quantise(BaseModel):
    """Strokes drawn to the steps of a grid."""

    on: bool = True
    grid: Grid = Grid()
    strength_percent: float = Field(default=100.0, ge=0, le=100, description="how much of the way strokes go")
    within_ms: float | None = Field(
        default=None,
        ge=1,
        le=500,
        description="strokes further from their step are left alone; empty: none is",
        json_schema_extra=control(high=200),
    )
    together_ms: float = Field(
        default=GESTURE_MS,
        ge=0,
        le=120,
        description="strokes closer than this move as one: flams and drags stay what they are",
    )


class FeelUse(BaseModel):
    """A kept feel laid on a part."""

    on: bool = True
    feel: Feel
    timing_percent: float = Field(default=100.0, ge=0, le=150)
    strength_percent: float = Field(default=100.0, ge=0, le=150)


class Timing(BaseModel):
    """What is done to the times of a part's strokes, in this order: grid, feel, shift."""

    quantise: Quantise | None = None
    feel: FeelUse | None = None
    shift_ms: float = Field(
        default=0.0,
        ge=-500,
        le=500,
        description="all of it earlier or later",
        json_schema_extra=control(step=0.1, low=-60, high=60),
    )


def gestures(
    time_s: NDArray[np.float64], velocity: NDArray[np.int64], together_ms: float
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Which gesture each stroke (n,) belongs to, (n,), and the row of each gesture's main stroke, (m,): its
    loudest, of equals the last.

    ``time_s`` and ``velocity`` are (n,), in order of time.
    """
    count = len(time_s)
    if not count:
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    begins = np.concatenate([[True], np.diff(time_s) * 1000.0 >= together_ms])
    of = np.cumsum(begins) - 1
    rank = velocity.astype(np.int64) * count + np.arange(count)
    return of, np.maximum.reduceat(rank, np.nonzero(begins)[0]) % count


def deviation_ms(
    time_s: NDArray[np.float64], tempo: Tempo, grid: Grid
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """The step nearest to each stroke (n,), and how much later than it the stroke is, in ms, (n,)."""
    step = grid.nearest(beats_at(tempo, time_s))
    return step, 1000.0 * (time_s - seconds_at(tempo, grid.position(step)))


def quantised(
    time_s: NDArray[np.float64], velocity: NDArray[np.int64], tempo: Tempo, settings: Quantise
) -> NDArray[np.float64]:
    """Times (n,) drawn to the grid: exactly ``strength_percent`` of the way, whole gestures by what their
    main stroke moves.
    """
    if not settings.on or not len(time_s):
        return time_s
    of, main = gestures(time_s, velocity, settings.together_ms)
    _, late_ms = deviation_ms(time_s[main], tempo, settings.grid)
    moves = np.abs(late_ms) <= (np.inf if settings.within_ms is None else settings.within_ms)
    by_s = np.where(moves, -late_ms / 1000.0 * settings.strength_percent / 100.0, 0.0)
    return np.maximum(time_s + by_s[of], 0.0)


def felt(
    time_s: NDArray[np.float64], velocity: NDArray[np.int64], tempo: Tempo, use: FeelUse
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Times and velocities (n,) drawn to a feel, each by its own amount; steps that the feel does not know
    are left alone.
    """
    if not use.on or not len(time_s):
        return time_s, velocity
    of, main = gestures(time_s, velocity, GESTURE_MS)
    step, late_ms = deviation_ms(time_s[main], tempo, use.feel.grid)
    place = step % len(use.feel.steps)
    known = np.array([one.count > 0 for one in use.feel.steps])[place]
    wanted_ms = np.array([one.late_ms for one in use.feel.steps])[place]
    by_s = np.where(known, (wanted_ms - late_ms) / 1000.0 * use.timing_percent / 100.0, 0.0)
    usual = float(np.median(velocity[main]))
    wanted = usual * np.array([one.strength for one in use.feel.steps])[place]
    factor = 1.0 + (wanted / np.maximum(velocity[main], 1) - 1.0) * use.strength_percent / 100.0
    factor = np.where(known, np.maximum(factor, 0.0), 1.0)
    return np.maximum(time_s + by_s[of], 0.0), np.clip(np.round(velocity * factor[of]), 1, 127).astype(
        np.int64
    )


def timed(
    time_s: NDArray[np.float64], velocity: NDArray[np.int64], tempo: Tempo, timing: Timing
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Strokes (n,) with a part's timing: times and velocities, (n,) each, in the order given.

    ``time_s`` and ``velocity`` are (n,), in order of time.
    """
    if timing.quantise is not None:
        time_s = quantised(time_s, velocity, tempo, timing.quantise)
    if timing.feel is not None:
        time_s, velocity = felt(time_s, velocity, tempo, timing.feel)
    if timing.shift_ms:
        time_s = np.maximum(time_s + timing.shift_ms / 1000.0, 0.0)
    return time_s, velocity
