"""Writing: bars as a drummer reads them, strokes put at the steps of a bar, and bars varied within the feel.

What is written becomes notes beside the recorded ones, as everything that no microphone heard.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.controls import control
from nubrak.core.problem import Problem
from nubrak.core.shape.feel import Feel, steps_of_bar
from nubrak.core.shape.notes import Notes, PatternNote
from nubrak.core.shape.pattern import pattern_note
from nubrak.core.shape.timing import GESTURE_MS, deviation_ms, gestures
from nubrak.core.tempo import Grid, Tempo, beats_at, seconds_at

EARLY_BARS = 0.02  # a hair before the bar line belongs to the bar it is meant for
MOST_BARS = 512  # written at once
_STRONG_OF = 0.6  # of the hardest: softer ones do not say how hard a part usually plays
_GHOST_OF = 0.5  # of what is usual: softer ones are ghosts
_GHOST_IS = 0.3  # how hard a ghost is written where the part has none to go by (common practice)
_ACCENT_IS = 1.2  # how much harder than usual an accent is (common practice)
_ACCENT_LEAST = 12  # in velocity
# How long before its stroke a grace note lies: a flam's, and a drag's two (common practice).
_GRACES_S = {"flam": (0.028,), "drag": (0.066, 0.033)}
_GRACE_OF = 0.55  # of its stroke's velocity
_LEAST_SPREAD_MS, _MOST_SPREAD_MS, _SPREAD_MS = 0.5, 12.0, 4.0  # where strokes told too little
_STRENGTH_SPREAD = 0.06
_SIGMA = 1.4826  # a normal distribution's deviation out of its median absolute one

NoteKind = Literal["plain", "ghost", "accent"]
Grace = Literal["flam", "drag"]


@dataclass(frozen=True)
class Hardness:
    """How hard a part plays: a usual stroke, a ghost, an accent, as velocities 1 to 127."""

    usual: int
    ghost: int
    accent: int

    def kind_of(self, velocity: int) -> NoteKind:
        """What a stroke of this velocity is read as."""
        if velocity < _GHOST_OF * self.usual:
            return "ghost"
        return "accent" if velocity > self.usual and velocity >= self.accent - 4 else "plain"


def hardness(velocity: NDArray[np.int64], usual: int = 100) -> Hardness:
    """How hard strokes (n,) are, ``usual`` where there are none: the median of those that are no ghosts, and
    of those that are.
    """
    strong = velocity[velocity >= _STRONG_OF * velocity.max()] if len(velocity) else velocity
    middle = round(float(np.median(strong))) if len(strong) else usual
    soft = velocity[velocity < _GHOST_OF * middle]
    ghost = round(float(np.median(soft))) if len(soft) else max(round(_GHOST_IS * middle), 1)
    return Hardness(middle, ghost, min(max(round(_ACCENT_IS * middle), middle + _ACCENT_LEAST), 127))


def bar_of(time_s: NDArray[np.float64], tempo: Tempo) -> NDArray[np.int64]:
    """The bar each time (n,) belongs to, counted from 1, (n,)."""
    bars = np.floor(beats_at(tempo, time_s) / tempo.bar_beats + EARLY_BARS)
    return bars.astype(np.int64) + 1


def steps_s(tempo: Tempo, bar: int, grid: Grid) -> NDArray[np.float64]:
    """When the steps of a bar and the bar line after it stand, (steps + 1,) in s."""
    begin = (bar - 1) * tempo.bar_beats
    count = int(np.ceil(tempo.bar_beats / grid.step_beats - 1e-9))
    beats = begin + grid.position(np.arange(count))
    return seconds_at(tempo, np.append(beats, begin + tempo.bar_beats))


@dataclass(frozen=True)
class Written:
    """One stroke as it is read: its ``row`` of the notes, the step it belongs to, how far from it, what it
    is, and the rows of the grace notes before it.
    """

    row: int
    step: int
    late_ms: float
    kind: NoteKind
    graces: tuple[int, ...]


def read_bar(notes: Notes, tempo: Tempo, bar: int, grid: Grid, hard: Hardness) -> list[Written]:
    """The strokes of a part in a bar. Flams and drags are one stroke with its grace notes."""
    times = steps_s(tempo, bar, grid)
    near = np.nonzero(bar_of(notes.time_s, tempo) == bar)[0]
    of, main = gestures(notes.time_s[near], notes.velocity[near], GESTURE_MS)
    out = []
    for gesture, place in enumerate(main.tolist()):
        row = int(near[place])
        at_s = float(notes.time_s[row])
        step = min(int(np.argmin(np.abs(times - at_s))), len(times) - 2)
        before = near[(of == gesture) & (np.arange(len(near)) < place)]
        out.append(
            Written(
                row,
                step,
                1000.0 * (at_s - float(times[step])),
                hard.kind_of(int(notes.velocity[row])),
                tuple(before.tolist()),
            )
        )
    return out


def graces(time_s: float, velocity: int, grace: Grace, note: int | None = None) -> list[PatternNote]:
    """The grace notes before a stroke; none where there is no time before it."""
    soft = max(round(_GRACE_OF * velocity), 1)
    return [
        PatternNote(time_s=time_s - by_s, velocity=soft, note=note, fixed=True)
        for by_s in _GRACES_S[grace]
        if time_s - by_s >= 0
    ]


class Vary(BaseModel):
    """How a copied bar may differ from what it was copied of."""

    drop_percent: float = Field(
        default=15,
        ge=0,
        le=100,
        description="of the softer strokes are left out",
        json_schema_extra=control(step=1),
    )
    add_percent: float = Field(
        default=25,
        ge=0,
        le=100,
        description="of the strokes that other bars have and this one has not come in",
        json_schema_extra=control(step=1),
    )
    shift_percent: float = Field(
        default=100,
        ge=0,
        le=200,
        description="as far apart in time and strength as the part itself plays from bar to bar",
        json_schema_extra=control(step=1),
    )


def varied(
    bar: list[PatternNote],
    own: Notes,
    feel: Feel,
    tempo: Tempo,
    number: int,
    settings: Vary,
    chance: np.random.Generator,
) -> list[PatternNote]:
    """The notes of a part in bar ``number``, varied as the part itself varies: softer strokes dropped,
    strokes that it has on these steps elsewhere added, all moved within the spread of its ``feel``. Its first
    beat and its loudest strokes stay. ``own`` are all its notes.
    """
    if not bar and not len(own):
        return []
    bar = sorted(bar, key=lambda note: note.time_s)
    hard = hardness(own.velocity, 100)
    time_s = np.array([note.time_s for note in bar])
    velocity = np.array([note.velocity for note in bar], np.int64)
    of, main = gestures(time_s, velocity, GESTURE_MS)
    step, _ = deviation_ms(time_s[main], tempo, feel.grid)
    usual = float(np.median(own.velocity)) if len(own) else 100.0
    out: list[PatternNote] = []
    taken = set(step.tolist())
    for gesture, row in enumerate(main.tolist()):
        first = step[gesture] % steps_of_bar(feel.grid, tempo.bar_beats) == 0
        soft = velocity[row] < _STRONG_OF * hard.usual
        if soft and not first and chance.random() * 100 < settings.drop_percent:
            continue
        told = feel.steps[int(step[gesture]) % len(feel.steps)]
        spread_ms = float(np.clip(_SIGMA * told.spread_ms, _LEAST_SPREAD_MS, _MOST_SPREAD_MS))
        spread = _SIGMA * told.strength_spread / max(told.strength, 0.1)
        if told.count < 3:
            spread_ms, spread = _SPREAD_MS, _STRENGTH_SPREAD
        by_s = (
            spread_ms / 1000 * float(np.clip(chance.standard_normal(), -2, 2)) * settings.shift_percent / 100
        )
        louder = (
            float(np.clip(chance.standard_normal(), -2, 2)) * min(spread, 0.3) * settings.shift_percent / 100
        )
        for note in (one for one, its in zip(bar, of.tolist(), strict=True) if its == gesture):
            out.append(
                note.model_copy(
                    update={
                        "time_s": max(note.time_s + by_s, 0.0),
                        "velocity": int(np.clip(round(note.velocity * (1 + louder)), 1, 127)),
                    }
                )
            )
    per_bar = int(np.ceil(tempo.bar_beats / feel.grid.step_beats - 1e-9))
    begin = int(feel.grid.nearest(np.array([(number - 1) * tempo.bar_beats]))[0])
    for place in range(begin, begin + per_bar):
        told = feel.steps[place % len(feel.steps)]
        if place in taken or not told.count or chance.random() * 100 >= settings.add_percent:
            continue
        at_s = float(seconds_at(tempo, feel.grid.position(np.array([place])))[0]) + told.late_ms / 1000
        hit = int(np.clip(round(usual * told.strength), 1, 127))
        if at_s >= 0:
            out.append(pattern_note(at_s, hit, own.number, own.number, fixed=True))
    return sorted(out, key=lambda note: note.time_s)


def within(bars: int) -> None:
    """A ``Problem`` where more bars are to be written at once than one can look through."""
    if not 1 <= bars <= MOST_BARS:
        raise Problem(
            f"That would be {bars} bars at once.",
            "Nothing was changed.",
            f"Write 1 to {MOST_BARS} at a time.",
        )
