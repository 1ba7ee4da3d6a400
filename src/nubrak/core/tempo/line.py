"""The tempo as a line of points over the bars, as a hand sets it."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.problem import Problem
from nubrak.core.tempo.tempo_map import LEAST_BPM, MOST_BPM, Tempo, TempoChange, seconds_at
from nubrak.core.time_line import LAST_S

_SAME_BAR = 1e-4


class TempoPoint(BaseModel):
    """From a bar on so many quarter notes a minute."""

    bar: float = Field(ge=1, le=100_000, description="the number of the bar; 1 is the first")
    bpm: float = Field(ge=LEAST_BPM, le=MOST_BPM, description="quarter notes per minute")


def with_points(tempo: Tempo, points: list[TempoPoint]) -> Tempo:
    """The tempo along these points: each holds until the next, and stays on its bar whatever goes before it.
    Bar 1 stays where it is; of two points at one bar the later given holds. A ``Problem`` where a point lies
    beyond the time line.
    """
    held = sorted({round(point.bar, 6): point.bpm for point in points}.items())
    if not held:
        return tempo
    bpm = held[0][1]
    out = tempo.model_copy(update={"bpm": bpm, "changes": []})
    changes: list[TempoChange] = []
    for bar, faster in held:
        if bar <= 1.0 + _SAME_BAR:
            continue
        beats = np.array([(bar - 1.0) * tempo.bar_beats])
        time_s = float(seconds_at(out, beats)[0])
        if time_s > LAST_S:
            raise Problem("A point of the tempo lies beyond the day.", todo="Put it at an earlier bar.")
        changes.append(TempoChange(time_s=round(time_s, 6), bpm=faster))
        out = out.model_copy(update={"changes": list(changes)})
    return out
