"""Tempo: seconds to beats and back, a tempo estimated from hits, a tempo map that follows a performance.

Hits are anchored in seconds. Tempo only says where the grid lies and what a MIDI file states, so changing it
never moves a hit. Beats are quarter notes, counted from bar 1.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, BaseModel, Field, model_validator

from nubrak.core.time_line import BarOneS, TimeLineS

LEAST_BPM, MOST_BPM = 20.0, 400.0  # slower or faster nobody counts quarters


Known = Literal["no", "told", "set", "none"]


class TempoChange(BaseModel):
    """From here on another tempo."""

    time_s: TimeLineS
    bpm: float = Field(ge=LEAST_BPM, le=MOST_BPM, description="quarter notes per minute")


def _in_order(changes: list[TempoChange]) -> list[TempoChange]:
    return sorted(changes, key=lambda change: change.time_s)


class Tempo(BaseModel):
    """The session's tempo and time signature. Until it is ``known`` nothing is drawn to its grid."""

    known: Known = Field(
        default="no", description="no: only assumed; told by the hits; set by a person; none: played freely"
    )
    sure: float | None = Field(
        default=None, ge=0, le=1, description="how sure the hits are of it, where they told it"
    )
    bpm: float = Field(default=120.0, ge=LEAST_BPM, le=MOST_BPM, description="quarter notes per minute")
    beats_per_bar: int = Field(default=4, ge=1, le=32)
    beat_unit: int = Field(default=4, description="2, 4, 8 or 16")
    bar_one_s: BarOneS = Field(
        default=0.0, description="where bar 1 stands; before zero where the recording begins later"
    )
    changes: Annotated[list[TempoChange], AfterValidator(_in_order)] = Field(
        default=[], max_length=20000, description="where the tempo changes; empty: one tempo throughout"
    )

    @model_validator(mode="before")
    @classmethod
    def _set_before_it_was_said(cls, data: object) -> object:
        """A tempo kept before sessions said how they know it was set, where it is not the assumed one."""
        if isinstance(data, dict) and "known" not in data:
            assumed: tuple[object, ...] = (120.0, 0.0, [], 4, 4)
            names = ("bpm", "bar_one_s", "changes", "beats_per_bar", "beat_unit")
            given = tuple(data.get(name, usual) for name, usual in zip(names, assumed, strict=True))
            return data | {"known": "no" if given == assumed else "set"}
        return data

    @property
    def is_known(self) -> bool:
        """Whether its grid may be used."""
        return self.known in ("told", "set")

    @property
    def bar_beats(self) -> float:
        """Quarter notes in a bar."""
        return self.beats_per_bar * 4.0 / self.beat_unit


def _knots(tempo: Tempo) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Where each tempo begins in seconds and in beats, and its beats per second, (m,) each; the first reaches
    back for ever.
    """
    starts = np.array([0.0, *[change.time_s for change in tempo.changes]])
    speed = np.array([tempo.bpm, *[change.bpm for change in tempo.changes]]) / 60.0
    beats = np.concatenate([[0.0], np.cumsum(np.diff(starts) * speed[:-1])])
    # Counted from bar 1.
    row = max(int(np.searchsorted(starts, tempo.bar_one_s, side="right")) - 1, 0)
    return starts, beats - (beats[row] + (tempo.bar_one_s - starts[row]) * speed[row]), speed


def beats_at(tempo: Tempo, time_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Times (n,) in seconds to beats from bar 1, (n,)."""
    starts, beats, speed = _knots(tempo)
    row = np.maximum(np.searchsorted(starts, time_s, side="right") - 1, 0)
    return np.asarray(beats[row] + (time_s - starts[row]) * speed[row])


def seconds_at(tempo: Tempo, beats: NDArray[np.float64]) -> NDArray[np.float64]:
    """Beats from bar 1, (n,), to times in seconds, (n,)."""
    starts, at, speed = _knots(tempo)
    row = np.maximum(np.searchsorted(at, beats, side="right") - 1, 0)
    return np.asarray(starts[row] + (beats - at[row]) / speed[row])
