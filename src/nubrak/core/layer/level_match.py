"""Bringing a layer to a level that can be compared: its strokes against the recording's, K-weighted, so many
decibels under them.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.signal import sosfilt

from nubrak.core.layer.lock import Sounding
from nubrak.core.signal import k_weighting, windows_at

UNDER_DB = 6.0  # common practice: a layer begins about 6 dB under what it thickens
_STROKE_S = 0.2  # what of a stroke is compared: its body, before the next
_BEFORE_S = 0.02  # the filters settle on what sounded before
_MOST_HITS = 64  # as many as make the median steady


def level_under(
    recording: NDArray[np.float32], hits: NDArray[np.int64], sounds: list[Sounding], rate_hz: int
) -> float | None:
    """How far in dB a layer lies under its recording (frames,): the median over the strokes, ``hits`` (n,) in
    samples, of what ``sounds`` there.

    None where neither sounds.
    """
    stroke, before = round(_STROKE_S * rate_hz), round(_BEFORE_S * rate_hz)
    weighting = k_weighting(rate_hz)
    under = []
    every = max(len(hits) // _MOST_HITS, 1)
    for one in sounds:
        some = slice(None, None, every)
        rows, gains = one.rows[some], one.gains[some]
        body = np.pad(
            one.sample[max(one.attack - before, 0) : one.attack + stroke].astype(np.float64),
            (max(before - one.attack, 0), 0),
        )
        own = float(np.sum(sosfilt(weighting, body)[before:] ** 2))
        there = sosfilt(
            weighting, windows_at(recording, hits[rows] - before, before + stroke).astype(np.float64), axis=1
        )[:, before:]
        power = (there**2).sum(axis=1)
        heard = (power > 0) & (own > 0)
        under.append(10.0 * np.log10(power[heard] / (own * gains[heard] ** 2)))
    found = np.concatenate(under) if under else np.zeros(0)
    return float(np.median(found)) if len(found) else None
