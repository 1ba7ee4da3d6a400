"""Taps: a tempo tapped by hand."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nubrak.core.tempo.tempo_map import LEAST_BPM, MOST_BPM


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
