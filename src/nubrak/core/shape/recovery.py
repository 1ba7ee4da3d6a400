"""Recovery: how much strength a player has back for a stroke soon after others."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def recovered(time_s: NDArray[np.float64], depth: float, recovery_s: float) -> NDArray[np.float64]:
    """The share of full strength, 0 to 1, (n,), that strokes at ``time_s`` (n,), in order, have.

    Every stroke costs ``depth`` of what there is, and what is missing comes back exponentially, two thirds
    within ``recovery_s``. So a stroke after a long rest is whole, the second of two fast ones weaker, and a
    roll settles where loss and recovery meet.
    """
    out = np.ones(len(time_s))
    if depth <= 0 or len(time_s) < 2:
        return out
    # A linear recurrence, s[i] = rest[i] + kept[i] s[i - 1], by doubling: after each round every row stands
    # for twice as many strokes.
    back = np.exp(-np.diff(time_s) / recovery_s)
    kept, rest = (1.0 - depth) * back, 1.0 - back
    reach = 1
    while reach < len(kept):
        rest[reach:] += kept[reach:] * rest[:-reach]
        kept[reach:] = kept[reach:] * kept[:-reach]
        reach *= 2
    out[1:] = rest + kept
    return out
