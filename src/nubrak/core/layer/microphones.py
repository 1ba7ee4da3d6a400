"""Microphones on one drum against each other: which way round, and how much earlier or later they are biggest
together. Told as the lock of a layer is, with each stroke of one as the sound on the other.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from nubrak.core.layer.lock import Lock, Sounding, find_lock

_MOST_STROKES = 64  # more make it no surer
_LEAD_S, _LENGTH_S = (
    0.01,
    0.26,
)  # what of a stroke is compared: from before its attack to where its low end is


def between_microphones(
    first: NDArray[np.float32], second: NDArray[np.float32], hits: NDArray[np.int64], rate_hz: int
) -> Lock:
    """How ``second`` (frames,) is best put beside ``first`` (frames,) on the strokes ``hits`` (n,) of their
    drum, in samples: the polarity and offset at which both together have most low end, and what that gains.
    """
    lead, length = round(_LEAD_S * rate_hz), round(_LENGTH_S * rate_hz)
    hits = hits[(hits >= lead) & (hits + length < min(len(first), len(second)))]
    if len(hits) > _MOST_STROKES:
        hits = hits[np.linspace(0, len(hits) - 1, _MOST_STROKES).round().astype(int)]
    sounds = [
        Sounding(second[hit - lead : hit + length], lead, np.array([row]), np.ones(1))
        for row, hit in enumerate(hits.tolist())
    ]
    found = find_lock(first, hits, sounds, rate_hz)
    if found.same_sound:
        return found
    # Microphones of one drum may hear it very differently; what is told here is offered and never done.
    best = found.widest
    return replace(found, polarity=best.polarity, offset_samples=best.offset_samples, gain_db=best.gain_db)
