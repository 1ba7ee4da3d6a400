"""Whether two recordings are the sides of a stereo pair, told by their sound."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_FRAME_S = 0.02  # a stroke lasts longer, and the way from one side to the other is shorter
_LOUDEST_SHARE, _FEWEST_FRAMES = 0.01, 5
_SILENT = 1e-10  # of power: −100 dBFS
# How far two sides are apart at most: overheads a metre apart stay under 15 dB, two close microphones on two
# drums lie over 20 dB, on made kits of several libraries of sounds.
WIDEST_PAIR_DB = 17.0
# Two microphones at one drum hear its strokes as its loudest, each.
WIDEST_AT_A_DRUM_DB = 12.0
# Microphones named after a drum stand at two drums more often than not.
WIDEST_PAIR_OF_A_DRUM_DB = 3.0


def sides_apart_db(left: NDArray[np.float32], right: NDArray[np.float32], rate_hz: int) -> float | None:
    """How differently two signals (frames,) hear the same time: how much louder each is in its own loudest
    moments than the other there, both together, in dB. None where either is silent.

    The sides of a pair hear the same strokes at like strength, whatever their gains; two drums do not.

    >>> import numpy as np
    >>> strokes = np.repeat([0.0, 0.5, 0.0, 0.8, 0.0], 4410).astype(np.float32)
    >>> sides_apart_db(strokes, 0.25 * strokes, 44100)
    0.0
    """
    frames = min(len(left), len(right))
    size = max(round(_FRAME_S * rate_hz), 1)
    count = frames // size
    if not count:
        return None
    power = [
        (one[: count * size].astype(np.float64).reshape(count, size) ** 2).mean(axis=1)
        for one in (left, right)
    ]
    if any(one.max() < _SILENT for one in power):
        return None
    level_db = [10.0 * np.log10(np.maximum(one, one.max() * 1e-8)) for one in power]
    loudest = max(round(_LOUDEST_SHARE * count), min(_FEWEST_FRAMES, count))
    apart = 0.0
    for own, other in ((0, 1), (1, 0)):
        rows = np.argsort(-level_db[own], kind="stable")[:loudest]
        apart += float(np.median(level_db[own][rows] - level_db[other][rows]))
    return round(max(apart, 0.0), 2)
