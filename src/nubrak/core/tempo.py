"""Tempo: seconds to beats and back, a tempo estimated from hits, a tempo map that follows a performance.

Hits are anchored in seconds. Tempo only says where the grid lies and what a MIDI file states, so changing it never moves a hit.
Beats are quarter notes, counted from bar 1.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, BaseModel, Field

_LEAST_BPM, _MOST_BPM = 20.0, 400.0
_LOOKED_LOW_BPM, _LOOKED_HIGH_BPM = 40.0, 240.0
_USUAL_BPM, _USUAL_OCTAVES = 115.0, 0.9  # people tap around here (Moelants, "Preferred tempo reconsidered", 2002, from memory)
_DIVISIONS = (1, 2, 3, 4)
_NEAR_BEAT = 0.18  # of a beat: strokes further off are no beats
_FOLLOWS = 0.35  # how far one bar's error moves the next


class TempoChange(BaseModel):
    """From here on another tempo."""

    time_s: float = Field(ge=0, le=86400)
    bpm: float = Field(ge=_LEAST_BPM, le=_MOST_BPM, description="quarter notes per minute")


def _in_order(changes: list[TempoChange]) -> list[TempoChange]:
    return sorted(changes, key=lambda change: change.time_s)


class Tempo(BaseModel):
    """The session's tempo and time signature."""

    bpm: float = Field(default=120.0, ge=_LEAST_BPM, le=_MOST_BPM, description="quarter notes per minute")
    beats_per_bar: int = Field(default=4, ge=1, le=32)
    beat_unit: int = Field(default=4, description="2, 4, 8 or 16")
    bar_one_s: float = Field(default=0.0, ge=0, le=86400, description="where bar 1 stands on the time line; the grid follows it, MIDI starts at zero")
    changes: Annotated[list[TempoChange], AfterValidator(_in_order)] = Field(default=[], max_length=20000, description="where the tempo changes; empty: one tempo throughout")

    @property
    def bar_beats(self) -> float:
        """Quarter notes in a bar."""
        return self.beats_per_bar * 4.0 / self.beat_unit


def _knots(tempo: Tempo) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Where each tempo begins in seconds and in beats, and its beats per second, (m,) each; the first reaches back for ever."""
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


class TempoGuess(BaseModel):
    """A tempo that hits suggest."""

    bpm: float
    confidence: float = Field(description="0 to 1: how well the hits lie on its grid, and how much better than on any other")
    first_beat_s: float = Field(description="where its first beat would stand")


def estimate_tempo(time_s: NDArray[np.float64], weight: NDArray[np.float64] | None = None) -> list[TempoGuess]:
    """The likeliest tempo of hits at ``time_s`` (n,), then half of it and double it; empty where fewer than 8 hits tell.

    How strongly a pulse of each tempo runs through the hits is the length of the sum of their phases on it (a tempogram of the
    hits: Grosche & Müller, IEEE TASLP 19(6), 2011; the test is Rayleigh's). A tempo is worth its beat and its divisions together.
    """
    if len(time_s) < 8:
        return []
    weights = np.ones(len(time_s)) if weight is None else np.asarray(weight, np.float64)
    weights = weights / weights.sum()
    # Neighbouring tempos fall out of step over the length of the take: that is how finely they must be looked at.
    length_s = max(float(time_s[-1] - time_s[0]), 1.0)
    step = 60.0 / (8.0 * length_s)
    tempos = np.arange(_LOOKED_LOW_BPM, _LOOKED_HIGH_BPM, max(step, 0.01))
    strength = np.stack([np.abs(_phases(time_s, weights, tempos * division)) for division in _DIVISIONS])
    # Beat and eighths, the finer division that fits better, and where people hear a beat at all.
    score = (strength[0] + strength[1] + np.maximum(strength[2], strength[3])) / 3.0
    score = score * np.exp(-0.5 * (np.log2(tempos / _USUAL_BPM) / _USUAL_OCTAVES) ** 2)
    best = int(np.argmax(score))
    rivals = np.abs(np.log2(tempos / tempos[best]) % 1.0 - 0.5) < 0.45  # not an octave of it
    fits = float(np.max(strength[:, best]))
    margin = 1.0 - float(score[rivals].max() / score[best]) if rivals.any() else 1.0
    chance = 1.0 / np.sqrt(len(time_s))
    confidence = float(np.clip((fits - chance) / (1.0 - chance), 0, 1) * np.clip(2.0 * margin, 0, 1) ** 0.5)
    out = []
    for bpm, worth in ((tempos[best], 1.0), (tempos[best] / 2, 0.5), (tempos[best] * 2, 0.5)):
        if _LEAST_BPM <= bpm <= _MOST_BPM:
            fine = _refined(time_s, weights, float(bpm))
            out.append(TempoGuess(bpm=round(fine, 3), confidence=round(confidence * worth, 3), first_beat_s=_first_beat(time_s, weights, fine)))
    return out


def _phases(time_s: NDArray[np.float64], weights: NDArray[np.float64], per_minute: NDArray[np.float64]) -> NDArray[np.complex128]:
    out = np.empty(len(per_minute), np.complex128)
    for at in range(0, len(per_minute), 256):
        out[at : at + 256] = np.exp(2j * np.pi / 60.0 * per_minute[at : at + 256, None] * time_s[None]) @ weights
    return out


def _refined(time_s: NDArray[np.float64], weights: NDArray[np.float64], bpm: float) -> float:
    """The tempo near ``bpm`` on whose sixteenths the hits lie best."""
    length_s = max(float(time_s[-1] - time_s[0]), 1.0)
    reach = 60.0 / (8.0 * length_s)
    near = np.linspace(bpm - reach, bpm + reach, 101)
    strength = sum(np.abs(_phases(time_s, weights, near * division)) for division in (1, 2, 4))
    return float(near[int(np.argmax(strength))])


def _first_beat(time_s: NDArray[np.float64], weights: NDArray[np.float64], bpm: float) -> float:
    """Where the first beat stands: the finest division says where the steps lie, and most strokes fall on the step that is the beat."""
    period = 60.0 / bpm
    phases = {division: complex(_phases(time_s, weights, np.array([bpm * division]))[0]) for division in _DIVISIONS}
    division = max((2, 3, 4), key=lambda one: abs(phases[one]))
    step = period / division
    places = (np.angle(phases[division]) / (2 * np.pi) + np.arange(division)) * step
    away = (time_s[None] - places[:, None] + period / 2) % period - period / 2
    beat = float(places[int(np.argmax(np.exp(-0.5 * (away / (step / 4)) ** 2) @ weights))])
    return round(max(beat + np.ceil((float(time_s[0]) - beat) / period - 0.25) * period, 0.0), 4)


def tapped(times_s: Sequence[float]) -> float | None:
    """The tempo of taps, in beats per minute: the slope through them (Theil–Sen, so that one late tap spoils nothing); None for fewer than three."""
    taps = np.asarray(times_s, np.float64)
    if len(taps) < 3 or np.any(np.diff(taps) <= 0):
        return None
    usual = float(np.median(np.diff(taps)))
    numbers = np.concatenate([[0.0], np.cumsum(np.maximum(np.round(np.diff(taps) / usual), 1.0))])
    first, second = np.triu_indices(len(taps), 1)
    period = float(np.median((taps[second] - taps[first]) / (numbers[second] - numbers[first])))
    return float(np.clip(60.0 / period, _LEAST_BPM, _MOST_BPM))


def follow(tempo: Tempo, time_s: NDArray[np.float64], weight: NDArray[np.float64] | None = None, end_s: float | None = None) -> list[TempoChange]:
    """Tempo changes, one per bar, with which the grid of ``tempo`` stays with the hits at ``time_s`` (n,).

    Bar by bar from bar 1: strokes near the expected beats and eighths say how early or late the bar came and how fast it goes; the
    next bar is expected accordingly (a phase and period correction as in Large & Jones, Psychological Review 106(1), 1999, from
    memory). Where nothing is played the last tempo goes on.
    """
    times = np.sort(np.asarray(time_s, np.float64))
    if len(times) < 4:
        return []
    weights = np.ones(len(times)) if weight is None else np.asarray(weight, np.float64)[np.argsort(time_s, kind="stable")]
    until = float(times[-1]) if end_s is None else end_s
    bar, period = tempo.bar_beats, 60.0 / tempo.bpm
    line = tempo.bar_one_s
    lines = [line]
    while line + bar * period < until + bar * period and len(lines) < 20000:
        inside = (times >= line - _NEAR_BEAT * period) & (times < line + (bar + _NEAR_BEAT) * period)
        where = (times[inside] - line) / period
        nearest = np.round(where * 2) / 2
        off = where - nearest
        close = np.abs(off) <= _NEAR_BEAT
        if close.any():
            # Error at the next bar line, as a straight line through the strokes' errors says, held back where few tell.
            x, y, w = nearest[close], off[close], weights[inside][close]
            if len(np.unique(x)) >= 3:
                slope, offset = np.polyfit(x, y, 1, w=np.sqrt(w))
                error = float(np.clip(offset + slope * bar, -_NEAR_BEAT * 2, _NEAR_BEAT * 2))
                slope = float(np.clip(slope, -0.08, 0.08))
            else:
                error, slope = float(np.average(y, weights=w)), 0.0
            following = line + (bar + error) * period
            period = period * (1 + _FOLLOWS * slope)
        else:
            following = line + bar * period
        # What lies on the next bar line itself is the best witness.
        on_line = np.nonzero(np.abs(times - following) <= _NEAR_BEAT * period / 2)[0]
        if len(on_line):
            following = float(np.average(times[on_line], weights=weights[on_line]))
        period = (1 - _FOLLOWS) * period + _FOLLOWS * (following - line) / bar
        lines.append(following)
        line = following
    spans = np.diff(lines)
    return [
        TempoChange(time_s=round(float(start), 6), bpm=float(np.clip(60.0 * bar / span, _LEAST_BPM, _MOST_BPM)))
        for start, span in zip(lines[:-1], spans, strict=True)
    ]
