"""The tempo of a session told by its hits: how fast, in which bar, where bar 1 begins, whether it wanders."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.tempo.meter import EVIDENCE_COUNTS, FAMILIES, Hits, Taught
from nubrak.core.tempo.pulse import tracked
from nubrak.core.tempo.readings import FIRST_S, Reading, in_order, readings
from nubrak.core.tempo.tempo_map import LEAST_BPM, MOST_BPM, TempoChange

# From here on a tempo is taken by itself: on grooves left out of the teaching, 98 of 100 were right.
SURE = 0.85
_SAME = 0.04  # of a tempo: nearer are one (the usual tolerance of tempo scores)
_SAME_PLACE_S = 0.06
_STEADY_S = 0.025  # no beat further beside an even tempo than this: played to a click, or as if
_OUTLYING_S = 0.04
_TOLD_SHARE = 0.05  # of another tempo, so that it is told
_LOOP_BEGINS_S = 0.03


class TempoGuess(BaseModel):
    """A tempo that hits suggest."""

    bpm: float = Field(description="quarter notes per minute")
    beats_per_bar: int
    beat_unit: int
    bar_one_s: float
    confidence: float = Field(description="0 to 1: how likely it is this tempo")


class TempoTold(TempoGuess):
    """The likeliest tempo, and what else it may be."""

    bar_confidence: float = Field(description="0 to 1: how likely bar 1 stands there, if the tempo is right")
    changes: list[TempoChange] = Field(
        default=[], description="a change per bar where the playing wanders; empty: one tempo throughout"
    )
    others: list[TempoGuess] = Field(
        default=[], description="half of it, double it, and what is likely as well"
    )

    @property
    def sure(self) -> bool:
        """Whether it may be taken by itself."""
        return self.confidence >= SURE


def tempo_told_by(hits: Hits, loop_s: float | None = None, by: Taught | None = None) -> TempoTold | None:
    """Tempo and bar one told by ``hits``, times (n,) in s and weights (n,) by piece; None where too few tell.

    ``loop_s`` is how long a loop of whole bars lasts; ``by`` is what is known of bars, else what ships.
    """
    found = readings(hits, loop_s, by)
    if not found:
        return None
    odds = np.array([one.odds for one in found])
    share = np.exp((odds - odds[0]) / EVIDENCE_COUNTS)
    share /= share.sum()
    period_s = np.array([one.period_s for one in found])
    alike = np.abs(period_s / period_s[0] - 1.0) < _SAME
    # Where strokes lie no better on beats than anywhere, there is no tempo.
    pulse = 1.0 / (1.0 + np.exp(-np.clip(odds[0] / EVIDENCE_COUNTS, -50, 50)))
    here = np.array([_same_bars(one, found[0]) for one in found])
    best = found[0]
    bpm, bar_one_s, changes = _as_tempo(best, *in_order(hits), loop_s)
    family = FAMILIES[best.family]
    return TempoTold(
        bpm=round(bpm, 3),
        beats_per_bar=family.beats_per_bar,
        beat_unit=family.beat_unit,
        bar_one_s=round(bar_one_s, 4),
        confidence=round(float(share[alike].sum() * pulse), 3),
        bar_confidence=round(float(share[alike & here].sum() / share[alike].sum()), 3),
        changes=changes,
        others=_others(found, share * pulse),
    )


def _same_bars(one: Reading, other: Reading) -> bool:
    """Whether two readings have their bar lines at the same places."""
    bar_s = FAMILIES[other.family].beats * other.period_s
    apart = (one.bar_one_s - other.bar_one_s + bar_s / 2) % bar_s - bar_s / 2
    same = abs(FAMILIES[one.family].beats * one.period_s / bar_s - 1.0) < _SAME
    return same and abs(apart) < _SAME_PLACE_S


def _others(found: list[Reading], share: NDArray[np.float64]) -> list[TempoGuess]:
    """Half and double the tempo on the whole, and others that are likely, the likeliest first."""
    bpm = found[0].bpm
    groups: list[TempoGuess] = []
    period_s = np.array([one.period_s for one in found])
    taken = np.abs(period_s / period_s[0] - 1.0) < _SAME
    for row, one in enumerate(found):
        if taken[row]:
            continue
        alike = np.abs(period_s / one.period_s - 1.0) < _SAME
        taken |= alike
        family, sure = FAMILIES[one.family], float(share[alike].sum())
        octave = min(abs(one.period_s / found[0].period_s / by - 1.0) for by in (0.5, 2.0)) < _SAME
        if octave or sure >= _TOLD_SHARE:
            groups.append(
                TempoGuess(
                    bpm=round(one.bpm, 3),
                    beats_per_bar=family.beats_per_bar,
                    beat_unit=family.beat_unit,
                    bar_one_s=round(max(one.bar_one_s, 0.0), 4),
                    confidence=round(sure, 3),
                )
            )
    first = FAMILIES[found[0].family]
    for by in (0.5, 2.0):
        if LEAST_BPM <= bpm * by <= MOST_BPM and all(
            abs(one.bpm / (bpm * by) - 1.0) > _SAME for one in groups
        ):
            groups.append(
                TempoGuess(
                    bpm=round(bpm * by, 3),
                    beats_per_bar=first.beats_per_bar,
                    beat_unit=first.beat_unit,
                    bar_one_s=round(max(found[0].bar_one_s, 0.0), 4),
                    confidence=0.0,
                )
            )
    return sorted(groups, key=lambda one: -one.confidence)


def _as_tempo(
    best: Reading, time_s: NDArray[np.float64], weight: NDArray[np.float64], loop_s: float | None
) -> tuple[float, float, list[TempoChange]]:
    """A reading as quarter notes per minute, where bar 1 stands in s, and a change per bar if it wanders."""
    family = FAMILIES[best.family]
    knots_s, beats = _to_the_end(best, time_s, weight)
    place = np.interp(time_s, knots_s, beats)
    cell = np.round(place * family.cells) / family.cells
    slope, begin = _line(cell, time_s, best.period_s)
    inside = (knots_s >= time_s[0]) & (knots_s <= time_s[-1])
    beside = knots_s[inside] - (begin + slope * beats[inside])
    bar_s = slope * family.beats
    bars = round(loop_s / bar_s) if loop_s else 0
    if loop_s and bars and abs(bars * bar_s / loop_s - 1.0) < _SAME / 4:
        slope = loop_s / (bars * family.beats)
        begin = float(np.median(time_s - slope * cell))
        return (
            _bounded(60.0 / slope * family.quarters),
            0.0 if abs(begin) < _LOOP_BEGINS_S else max(begin, 0.0),
            [],
        )
    if not inside.any() or np.percentile(np.abs(beside), 98) <= _STEADY_S:
        return _bounded(60.0 / slope * family.quarters), _not_before(begin, bar_s), []
    lines = np.arange(0.0, beats[-1] + family.beats, family.beats)
    at_s = np.interp(lines, beats, knots_s)
    past = lines > beats[-1]
    at_s[past] = knots_s[-1] + (lines[past] - beats[-1]) * slope
    bpm = [_bounded(60.0 * family.beats * family.quarters / one) for one in np.diff(at_s)]
    if not bpm:
        return _bounded(60.0 / slope * family.quarters), _not_before(begin, bar_s), []
    begin = max(float(at_s[0]), 0.0)
    changes = [
        TempoChange(time_s=round(max(float(at), 0.0), 6), bpm=round(one, 4))
        for at, one in zip(at_s[1:-1], bpm[1:], strict=True)
    ]
    return bpm[0], begin, changes


def _to_the_end(
    best: Reading, time_s: NDArray[np.float64], weight: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A reading's knots and beats; of a take longer than it was read over, to its end."""
    if time_s[-1] - time_s[0] <= FIRST_S:
        return best.knots_s, best.beats
    knots_s, steps = tracked(time_s, weight, best.step_hz)
    beats = steps / best.steps
    return knots_s, beats - np.interp(best.bar_one_s, knots_s, beats)


def _line(x: NDArray[np.float64], y: NDArray[np.float64], slope: float) -> tuple[float, float]:
    """Slope and height of the line through most points (n,): what lies far beside it is left out."""
    keep = np.ones(len(x), bool)
    begin = float(np.median(y - slope * x))
    for _ in range(4):
        if len(np.unique(x[keep])) < 2:
            break
        slope, begin = (float(one) for one in np.polyfit(x[keep], y[keep], 1))
        off = np.abs(y - begin - slope * x)
        keep = off <= max(_OUTLYING_S, 1.5 * float(np.median(off)))
    return slope, begin


def _bounded(bpm: float) -> float:
    return float(np.clip(bpm, LEAST_BPM, MOST_BPM))


def _not_before(begin_s: float, bar_s: float) -> float:
    """A bar line as early as may be on the time line; one a hair before it begins stands where it does."""
    return max(begin_s, 0.0) if begin_s > -_LOOP_BEGINS_S else begin_s + bar_s * np.ceil(-begin_s / bar_s)
