"""Estimate: a tempo out of hits or taps."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from scipy.fft import next_fast_len, rfft

from nubrak.core.tempo.tempo_map import LEAST_BPM, MOST_BPM

# Between which pulses are looked for; half and double are told as well.
_LOOKED_LOW_BPM, _LOOKED_HIGH_BPM = 40.0, 240.0
_USUAL_BPM, _USUAL_OCTAVES = (
    115.0,
    0.9,
)  # people tap around here (Moelants, "Preferred tempo reconsidered", 2002, from memory)
_DIVISIONS = (1, 2, 3, 4)  # of a beat that count towards it
_GRID_HZ = 64.0  # four times the finest division of the fastest tempo
_CLOSE_ONES = 17  # the peak is a few of them wide


class TempoGuess(BaseModel):
    """A tempo that hits suggest."""

    bpm: float
    confidence: float = Field(
        description="0 to 1: how well the hits lie on its grid, and how much better than on any other"
    )
    first_beat_s: float = Field(description="where its first beat would stand")


def estimate_tempo(
    time_s: NDArray[np.float64], weight: NDArray[np.float64] | None = None
) -> list[TempoGuess]:
    """The likeliest tempo of hits at ``time_s`` (n,), then half of it and double it; empty where fewer than 8
    hits tell.

    How strongly a pulse of each tempo runs through the hits is the length of the sum of their phases on it (a
    tempogram of the hits: Grosche & Müller, IEEE TASLP 19(6), 2011; the test is Rayleigh's). A tempo is worth
    its beat and its divisions together.

    ``weight`` (n,) is how much each hit says; all the same where it is not given.
    """
    if len(time_s) < 8:
        return []
    weights = np.ones(len(time_s)) if weight is None else np.asarray(weight, np.float64)
    weights = weights / weights.sum()
    tempos, strength = _tempogram(time_s, weights)
    # Beat and eighths, the finer division that fits better, and where people hear a beat at all.
    score = (strength[0] + strength[1] + np.maximum(strength[2], strength[3])) / 3.0
    score = score * np.exp(-0.5 * (np.log2(tempos / _USUAL_BPM) / _USUAL_OCTAVES) ** 2)
    best = int(np.argmax(score))
    rivals = np.abs(np.log2(tempos / tempos[best]) % 1.0 - 0.5) < 0.45  # not an octave of it
    fits = float(np.max(strength[:, best]))
    margin = 1.0 - float(score[rivals].max() / score[best]) if rivals.any() else 1.0
    chance = 1.0 / np.sqrt(len(time_s))
    confidence = float(np.clip((fits - chance) / (1.0 - chance), 0, 1) * np.clip(2.0 * margin, 0, 1) ** 0.5)
    fine = _refined(time_s, weights, float(tempos[best]))
    out = []
    for bpm, worth in ((fine, 1.0), (fine / 2, 0.5), (fine * 2, 0.5)):
        if LEAST_BPM <= bpm <= MOST_BPM:
            first_s = _first_beat(time_s, weights, bpm)
            sure = round(confidence * worth, 3)
            out.append(TempoGuess(bpm=round(bpm, 3), confidence=sure, first_beat_s=first_s))
    return out


def _tempogram(
    time_s: NDArray[np.float64], weights: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How strongly a pulse of each tempo, (m,) in beats per minute, and of its divisions runs through the
    hits, (divisions, m), 0 to 1.

    A sum of phases over all hits is one value of their Fourier transform. So hits are put on a fine grid of
    time, each shared between the two places beside it, and transformed at once; what the sharing takes from
    high frequencies, the square of a sinc, is given back.
    """
    begin_s = float(time_s[0])
    # Neighbouring tempos fall out of step over the length of the take: that is how finely they are looked at.
    whole_s = 8.0 * max(float(time_s[-1]) - begin_s, 1.0)
    size = next_fast_len(int(np.ceil(whole_s * _GRID_HZ)), real=True)
    place = (time_s - begin_s) * _GRID_HZ
    left = np.floor(place).astype(np.int64)
    share = place - left
    impulses = np.zeros(size, np.float32)
    np.add.at(impulses, left, weights * (1.0 - share))
    np.add.at(impulses, left + 1, weights * share)
    spectrum = rfft(impulses)
    per_bin_bpm = 60.0 * _GRID_HZ / size
    bins = np.arange(round(_LOOKED_LOW_BPM / per_bin_bpm), round(_LOOKED_HIGH_BPM / per_bin_bpm))
    shown = [np.abs(spectrum[bins * one]) / np.sinc(bins * one / size) ** 2 for one in _DIVISIONS]
    return bins * per_bin_bpm, np.stack(shown)


def _phases(
    time_s: NDArray[np.float64], weights: NDArray[np.float64], per_minute: NDArray[np.float64]
) -> NDArray[np.complex128]:
    """The sum of the phases that hits have on pulses of some tempos (m,), (m,)."""
    return np.exp(2j * np.pi / 60.0 * per_minute[:, None] * time_s[None]) @ weights


def _refined(time_s: NDArray[np.float64], weights: NDArray[np.float64], bpm: float) -> float:
    """The tempo near ``bpm`` on whose sixteenths the hits lie best: the top of a parabola through the best of
    some close ones and its neighbours.
    """
    length_s = max(float(time_s[-1] - time_s[0]), 1.0)
    reach = 60.0 / (8.0 * length_s)
    near = np.linspace(bpm - reach, bpm + reach, _CLOSE_ONES)
    # Eighths and sixteenths turn twice and four times as fast.
    turns = np.exp(2j * np.pi / 60.0 * near[:, None] * time_s[None])
    strength = sum(np.abs(turns**division @ weights) for division in (1, 2, 4))
    best = int(np.clip(np.argmax(strength), 1, len(near) - 2))
    before, top, after = strength[best - 1 : best + 2]
    bend = before - 2.0 * top + after
    off = float(np.clip(0.5 * (before - after) / bend, -1.0, 1.0)) if bend < 0 else 0.0
    return float(near[best] + off * (near[1] - near[0]))


def first_beat_of(time_s: NDArray[np.float64], weight: NDArray[np.float64], bpm: float) -> float:
    """Where the first beat of a tempo stands among hits at ``time_s`` (n,), in order, in s."""
    return _first_beat(time_s, weight / max(float(weight.sum()), 1e-12), bpm)


def _first_beat(time_s: NDArray[np.float64], weights: NDArray[np.float64], bpm: float) -> float:
    """Where the first beat stands: the finest division says where the steps lie, and most strokes fall on the
    step that is the beat.
    """
    period = 60.0 / bpm
    phases = {
        division: complex(_phases(time_s, weights, np.array([bpm * division]))[0]) for division in _DIVISIONS
    }
    division = max((2, 3, 4), key=lambda one: abs(phases[one]))
    step = period / division
    places = (np.angle(phases[division]) / (2 * np.pi) + np.arange(division)) * step
    away = (time_s[None] - places[:, None] + period / 2) % period - period / 2
    beat = float(places[int(np.argmax(np.exp(-0.5 * (away / (step / 4)) ** 2) @ weights))])
    return round(max(beat + np.ceil((float(time_s[0]) - beat) / period - 0.25) * period, 0.0), 4)


def tapped(times_s: Sequence[float]) -> float | None:
    """The tempo of taps, in beats per minute: the slope through them (Theil–Sen, so that one late tap spoils
    nothing); None for fewer than three.
    """
    taps = np.asarray(times_s, np.float64)
    if len(taps) < 3 or np.any(np.diff(taps) <= 0):
        return None
    usual = float(np.median(np.diff(taps)))
    numbers = np.concatenate([[0.0], np.cumsum(np.maximum(np.round(np.diff(taps) / usual), 1.0))])
    first, second = np.triu_indices(len(taps), 1)
    period = float(np.median((taps[second] - taps[first]) / (numbers[second] - numbers[first])))
    return float(np.clip(60.0 / period, LEAST_BPM, MOST_BPM))
