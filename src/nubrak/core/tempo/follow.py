"""Follow: a tempo map that stays with a performance."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.tempo.tempo_map import LEAST_BPM, MOST_BPM, Tempo, TempoChange

_NEAR_BEAT = 0.18  # of a beat: strokes further off are no beats
_FOLLOWS = 0.35  # how far one bar's error moves the next


def follow(
    tempo: Tempo,
    time_s: NDArray[np.float64],
    weight: NDArray[np.float64] | None = None,
    end_s: float | None = None,
) -> list[TempoChange]:
    """Tempo changes, one per bar, with which the grid of ``tempo`` stays with the hits at ``time_s`` (n,).

    Bar by bar from bar 1: strokes near the expected beats and eighths say how early or late the bar came and
    how fast it goes; the next bar is expected accordingly (a phase and period correction as in Large & Jones,
    Psychological Review 106(1), 1999, from memory). Where nothing is played the last tempo goes on.

    ``weight`` (n,) is how much each hit says; all the same where it is not given.
    """
    times = np.sort(np.asarray(time_s, np.float64))
    if len(times) < 4:
        return []
    weights = (
        np.ones(len(times))
        if weight is None
        else np.asarray(weight, np.float64)[np.argsort(time_s, kind="stable")]
    )
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
            # Error at the next bar line, as a straight line through the strokes' errors says, held back where
            # few tell.
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
        TempoChange(time_s=round(float(start), 6), bpm=float(np.clip(60.0 * bar / span, LEAST_BPM, MOST_BPM)))
        for start, span in zip(lines[:-1], spans, strict=True)
    ]
