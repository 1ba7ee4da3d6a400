"""Readings: the ways in which hits can be heard as bars, and how likely each is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import find_peaks

from nubrak.core.tempo.meter import (
    EVIDENCE_COUNTS,
    FAMILIES,
    Hits,
    Taught,
    as_bars,
    channels_of,
    occupied,
    on_cells,
    taught,
)
from nubrak.core.tempo.pulse import RATES_HZ, pulses, tracked

_SLOW_HZ, _FAST_HZ = 35.0 / 60.0, 260.0 / 60.0
_PEAKS = 6
_RATIOS = (1.0, 1 / 3, 1 / 2, 2 / 3, 3 / 4, 4 / 3, 3 / 2, 2.0, 3.0)
_SAME = 0.025  # of a tempo: nearer are one
FIRST_S = 240.0  # of a long take say how it is counted
_STEPS = {4: (4, 2, 1), 3: (3, 1), 6: (6, 3, 1)}  # by which a beat of so many cells is followed
_CLEAR = 0.8  # of the strongest step: the finest that is as clear is followed
# Of the takes, and of the loops, that begin with the first stroke of a bar.
_FIRST_BEGINS, _LOOP_BEGINS = 0.5, 0.95
_LOOP_SAYS = 4.0  # how much it speaks for a bar, as a logarithm, that a loop lasts some of them
_LOOP_EXACT = 0.012
_LOOP_BARS = (1, 2, 3, 4, 6, 8, 12, 16)
_SHIFTS, _NEAR_CELLS = np.arange(-0.5, 0.5, 0.02), 0.1
LEAST_HITS = 8


@dataclass(frozen=True)
class Reading:
    """One way to count: beats of ``period_s`` on the whole, in bars of a family, the first at ``bar_one_s``;
    beats (k,) at knots (k,) in s, counted from there; how well it fits, as a logarithm of odds against
    strokes that are anywhere.
    """

    family: int
    period_s: float
    bar_one_s: float
    knots_s: NDArray[np.float64]
    beats: NDArray[np.float64]
    odds: float
    steps: int  # of a beat that were followed
    step_hz: float

    @property
    def bpm(self) -> float:
        """Quarter notes per minute."""
        return 60.0 / self.period_s * FAMILIES[self.family].quarters


def readings(hits: Hits, loop_s: float | None = None, by: Taught | None = None) -> list[Reading]:
    """The ways to read ``hits``, times (n,) in s and weights (n,) by piece, the likeliest first; none where
    fewer than ``LEAST_HITS`` tell.

    ``loop_s`` is how long a loop of whole bars lasts, from time zero; None where it is none.
    """
    time_s, weight = in_order(hits)
    if len(time_s) < LEAST_HITS:
        return []
    by = by or taught()
    until = int(np.searchsorted(time_s, time_s[0] + FIRST_S))
    time_s, weight = time_s[:until], weight[:until]
    channels = {name: at[at <= time_s[-1]] for name, at in channels_of(hits).items()}
    strength = pulses(time_s, weight)
    follows: dict[float, tuple[NDArray[np.float64], NDArray[np.float64]]] = {}
    out = []
    for beat_hz in _beats(strength, loop_s):
        out += _read(beat_hz, strength, time_s, weight, channels, loop_s, by, follows)
    return sorted(out, key=lambda one: -one.odds)


def in_order(hits: Hits) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Times in s and weights, (n,) each, of all hits in order of time."""
    struck = [one for one in hits.values() if len(one[0])]
    time_s, weight = (np.concatenate([np.zeros(0), *(one[side] for one in struck)]) for side in (0, 1))
    order = np.argsort(time_s, kind="stable")
    return time_s[order], weight[order]


def _at(strength: NDArray[np.float64], rate_hz: NDArray[np.float64] | float) -> NDArray[np.float64]:
    return np.asarray(np.interp(np.log(rate_hz), np.log(RATES_HZ), strength, 0.0, 0.0))


def _beats(strength: NDArray[np.float64], loop_s: float | None) -> list[float]:
    """Beats per second that hits may be counted in: the strongest pulses with their steps, and what stands to
    those as half or double, a third or three times.
    """
    beats = RATES_HZ[RATES_HZ <= _FAST_HZ]
    steps = [_at(strength, beats * one) for one in (1, 2, 3, 4)]
    worth = steps[0] + np.maximum(steps[1], steps[2]) + np.maximum(steps[2], steps[3])
    peaks, _ = find_peaks(np.concatenate([[0.0], worth, [0.0]]))
    best = (peaks - 1)[np.argsort(-worth[peaks - 1])][:_PEAKS]
    wanted = [float(beats[one] * ratio) for one in best[:2] for ratio in _RATIOS]
    wanted += [float(beats[one]) for one in best[2:]]
    if loop_s:
        wanted = [bars * beat / loop_s for bars in _LOOP_BARS for beat in (2, 3, 4)] + wanted
    out: list[float] = []
    for one in wanted:
        if _SLOW_HZ <= one <= _FAST_HZ and all(abs(np.log(one / other)) > _SAME for other in out):
            out.append(one)
    return out


def _read(
    beat_hz: float,
    strength: NDArray[np.float64],
    time_s: NDArray[np.float64],
    weight: NDArray[np.float64],
    channels: dict[str, NDArray[np.float64]],
    loop_s: float | None,
    by: Taught,
    follows: dict[float, tuple[NDArray[np.float64], NDArray[np.float64]]],
) -> list[Reading]:
    """What a beat gives with every family."""
    out = []
    for cells in sorted({family.cells for family in FAMILIES}):
        clear = {step: float(_at(strength, beat_hz * step)) for step in _STEPS[cells]}
        step = next(one for one in _STEPS[cells] if clear[one] >= _CLEAR * max(clear.values()))
        key = round(beat_hz * step, 9)
        if key not in follows:
            follows[key] = tracked(time_s, weight, beat_hz * step)
        knots_s, steps = follows[key]
        # Cells of the beat, counted from the followed step that is nearest to the first stroke.
        wide = cells // step
        places = steps * wide
        places = places - wide * np.floor(np.interp(time_s[0], knots_s, places) / wide + 0.5)
        cell_s = float((knots_s[-1] - knots_s[0]) / max(places[-1] - places[0], 1e-9))
        places = places - _beside(np.interp(time_s, knots_s, places))
        every = np.interp(time_s, knots_s, places)
        lies = on_cells(every, cell_s)
        for number, family in enumerate(FAMILIES):
            if family.cells != cells:
                continue
            bar = family.bar
            bars = max(int(np.ceil((every[-1] + 1) / bar)), 1)
            counts = {
                name: occupied(np.interp(at, knots_s, places), bar, bars)
                for name, at in channels.items()
                if len(at)
            }
            beat_s = cell_s * cells
            odds = lies + as_bars(counts, bars, number, 60.0 / beat_s, by) + _begins(bar, loop_s)
            if loop_s:
                odds = odds + _LOOP_SAYS * _lasts_bars(loop_s, beat_s * family.beats)
            # The beat stands on what is followed, not between.
            can = range(0, bar, wide)
            best = max(can, key=lambda one: float(odds[one]))
            begins = float(np.interp(best, places, knots_s)) if best <= places[-1] else knots_s[-1]
            out.append(
                Reading(
                    number,
                    beat_s,
                    begins,
                    knots_s,
                    (places - best) / cells,
                    float(odds[best]),
                    step,
                    beat_hz * step,
                )
            )
    return out


def _beside(place: NDArray[np.float64]) -> float:
    """How far strokes (n,) lie beside their cells on the whole, in cells: where most of them are."""
    off = place - np.round(place)
    away = (off[None] - _SHIFTS[:, None] + 0.5) % 1.0 - 0.5
    return float(_SHIFTS[int(np.argmax(np.exp(-0.5 * (away / _NEAR_CELLS) ** 2).sum(axis=1)))])


def _begins(bar: int, loop_s: float | None) -> NDArray[np.float64]:
    """How likely bars begin at each cell, (bar,), as logarithms: the first stroke of all is in cell 0."""
    usually = _FIRST_BEGINS if loop_s is None else _LOOP_BEGINS
    out = np.full(bar, np.log((1.0 - usually) / (bar - 1)))
    out[0] = np.log(usually)
    return EVIDENCE_COUNTS * out


def _lasts_bars(loop_s: float, bar_s: float) -> float:
    """1 where a loop lasts some whole bars, else 0."""
    bars = loop_s / bar_s
    near = min(_LOOP_BARS, key=lambda one: abs(one - bars))
    return float(abs(bars / near - 1.0) < _LOOP_EXACT)
