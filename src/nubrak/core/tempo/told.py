"""The tempo of a session told by its hits: how fast, which octave of it, and which beat begins the bars."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.tempo.estimate import estimate_tempo, first_beat_of

# How much a stroke of a piece speaks for its beat being the first of a bar (common practice: kick on one and
# three, snare on two and four, a crash on one).
_SPEAKS = {"kick": 1.0, "crash": 1.5, "floor-tom": 0.3, "snare": -1.0, "clap": -1.0}
_NEAR_BEAT = 0.15  # of a beat: what is further off is not on it
_FIRST_SPEAKS = 0.3  # how much more a beat is worth on which the music begins, against the strongest beat
_BACKBEAT = 2.0  # beats from one backbeat to the next (common practice)
_LOUD_SHARE = 0.6  # of the loud strokes: what is softer is a ghost and no backbeat
_LEAST_BACKBEATS = 4  # two bars of them
_SAME_SPACING = 0.1  # of the usual distance: a steady hand and a fill
_REGULAR_SHARE = 0.4  # of the spacings, so that they say anything
_FAST_BPM = 165.0  # faster, it is rather eighths that were taken for beats
_HARDLY = 0.1  # of the drums on beats
_DRUMS = ("kick", "snare", "rack-tom", "floor-tom")
SURE = (
    0.65  # from here on a tempo is taken by itself: on performances of known tempo no wrong one came so far
)

Hits = Mapping[str, tuple[NDArray[np.float64], NDArray[np.float64]]]


class TempoTold(BaseModel):
    """A tempo with its bar one, as the hits tell it."""

    bpm: float
    bar_one_s: float
    confidence: float = Field(description="0 to 1; from ``SURE`` on it is taken by itself")

    @property
    def sure(self) -> bool:
        """Whether it may be taken by itself."""
        return self.confidence >= SURE


def tempo_told_by(hits: Hits, beats_per_bar: int = 4) -> TempoTold | None:
    """Tempo and bar one of a session, told by its ``hits``, times (n,) in s and weights (n,) by piece; None
    where too few hits tell.
    """
    struck = [one for one in hits.values() if len(one[0])]
    if not struck:
        return None
    time_s, weight = (np.concatenate([one[side] for one in struck]) for side in (0, 1))
    order = np.argsort(time_s, kind="stable")
    time_s, weight = time_s[order], weight[order]
    guesses = estimate_tempo(time_s, weight)
    if not guesses:
        return None
    bpm = _octave_by_backbeats(guesses[0].bpm, hits)
    beat_s = first_beat_of(time_s, weight, bpm)
    bar_one_s = bar_one_of(hits, bpm, beat_s, beats_per_bar)
    return TempoTold(bpm=round(bpm, 3), bar_one_s=round(bar_one_s, 4), confidence=guesses[0].confidence)


def _octave_by_backbeats(bpm: float, hits: Hits) -> float:
    """A tempo, or half of it: eighths that all are played alike pass for beats.

    Halved, the snare's loud strokes must be a backbeat apart, and every second beat must have hardly a drum
    on it, unless it is faster than anybody counts. Never doubled: a snare on three alone is as usual.
    """
    time_s, weight = hits.get("snare", (np.zeros(0), np.zeros(0)))
    loud = np.sort(time_s[weight >= _LOUD_SHARE * np.percentile(weight, 90)]) if len(time_s) else time_s
    if len(loud) < _LEAST_BACKBEATS:
        return bpm
    spacing = np.diff(loud)
    usual = float(np.median(spacing))
    if np.mean(np.abs(spacing - usual) <= _SAME_SPACING * usual) < _REGULAR_SHARE:
        return bpm
    beats = usual * bpm / 60.0
    nearer = abs(np.log2(beats / 2.0 / _BACKBEAT)) < abs(np.log2(beats / _BACKBEAT))
    drums = np.concatenate([hits[one][0] for one in _DRUMS if one in hits])
    place = (drums - loud[0]) * bpm / 60.0
    on = np.abs(place - np.round(place)) <= _NEAR_BEAT
    between = float(np.mean(np.round(place[on]) % 2 == 1)) if on.any() else 0.0
    return bpm / 2.0 if nearer and (bpm > _FAST_BPM or between < _HARDLY) else bpm


def bar_one_of(hits: Hits, bpm: float, first_beat_s: float, beats_per_bar: int) -> float:
    """Where bar 1 stands, in seconds: the first beat that begins a bar, at or after the first stroke.

    ``hits`` are times (n,) in s and weights (n,) by piece; ``first_beat_s`` is where a beat stands. Each
    stroke on a beat speaks for its place in the bar or against it; the place most speaks for is the first.
    """
    period = 60.0 / bpm
    score = np.zeros(beats_per_bar)
    begins = []
    for piece, (time_s, weight) in hits.items():
        if not len(time_s):
            continue
        beats = (time_s - first_beat_s) / period
        nearest = np.round(beats)
        on = np.abs(beats - nearest) <= _NEAR_BEAT
        place = nearest[on].astype(np.int64) % beats_per_bar
        score += _SPEAKS.get(piece, 0.0) * np.bincount(place, weight[on], beats_per_bar)
        begins.append(float(np.min(time_s)))
    if not begins:
        return first_beat_s
    first = round((min(begins) - first_beat_s) / period)
    score[first % beats_per_bar] += _FIRST_SPEAKS * float(np.abs(score).max(initial=1e-9))
    begins_bar = int(np.argmax(score))
    bar = first + (begins_bar - first) % beats_per_bar
    return max(first_beat_s + bar * period, 0.0)
