"""Best bar: the one bar that stands for a recording: most like all the others, surest, and tightest in
time.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.shape.timing import deviation_ms
from nubrak.core.tempo import Grid, Tempo, beats_at, seconds_at

_STEP = Grid(step=16)  # bars are compared in sixteenths
_LOOSE_MS = 25.0  # strokes this far off their steps halve what a bar is worth
_LEAST_STROKES = 2  # a bar with fewer says nothing


@dataclass(frozen=True)
class BarOnsets:
    """The hits of one part: ``time_s``, ``velocity``, ``doubt``, (n,) each."""

    time_s: NDArray[np.float64]
    velocity: NDArray[np.int64]
    doubt: NDArray[np.float64]


@dataclass(frozen=True)
class Bar:
    """A bar by its number, counted from 1, and where it begins and ends."""

    number: int
    start_s: float
    end_s: float
    likeness: float
    doubt: float


def best_bar(parts: list[BarOnsets], tempo: Tempo, length_s: float) -> Bar | None:
    """The bar that represents what all ``parts`` play; None where no whole bar has strokes.

    Every bar is a vector of velocities over parts and sixteenths; its likeness is the cosine to the mean of
    all bars, so that fills and slips fall out. Likeness counts times sureness times tightness.
    """
    bars = int(np.floor(beats_at(tempo, np.array([length_s]))[0] / tempo.bar_beats + 1e-6))
    steps = max(round(tempo.bar_beats / _STEP.step_beats), 1)
    if bars < 1 or not parts:
        return None
    pattern = np.zeros((bars, len(parts), steps))
    count, doubt, off = np.zeros(bars), np.zeros(bars), np.zeros(bars)
    for index, part in enumerate(parts):
        step, late_ms = deviation_ms(part.time_s, tempo, _STEP)
        bar, place = np.divmod(step, steps)
        inside = (bar >= 0) & (bar < bars)
        np.maximum.at(pattern[:, index], (bar[inside], place[inside]), part.velocity[inside] / 127.0)
        np.add.at(count, bar[inside], 1)
        np.add.at(doubt, bar[inside], part.doubt[inside])
        np.add.at(off, bar[inside], np.abs(late_ms[inside]))
    flat = pattern.reshape(bars, -1)
    played = count >= _LEAST_STROKES
    if not played.any():
        return None
    usual = flat[played].mean(axis=0)
    likeness = flat @ usual / np.maximum(np.linalg.norm(flat, axis=1) * np.linalg.norm(usual), 1e-12)
    many = np.maximum(count, 1)
    worth = np.where(
        played, likeness * (1.0 - np.minimum(doubt / many, 1.0)) / (1.0 + off / many / _LOOSE_MS), -1.0
    )
    best = int(np.argmax(worth))
    start_s, end_s = seconds_at(tempo, tempo.bar_beats * np.array([best, best + 1.0]))
    return Bar(
        best + 1,
        max(float(start_s), 0.0),
        float(end_s),
        float(likeness[best]),
        float(doubt[best] / many[best]),
    )
