"""Sort: ghost or full. Soft strokes that form a group of their own under the full ones."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

LEAST_UNDER_DB = 8.0  # common practice: a ghost stroke is far softer than a full one
_ROUNDS = 20  # two groups in one dimension have come to rest long before


def ghosts(level_db: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which hits of one drum (n,), by level in dBFS, are ghost strokes, (n,).

    Two groups by k-means in one dimension (Lloyd 1982); they count as ghost and full only if they lie apart.
    """
    level = np.asarray(level_db, np.float64)
    none = np.zeros(len(level), bool)
    if len(level) < 6 or float(np.ptp(level)) < LEAST_UNDER_DB:
        return none
    low, high = float(np.percentile(level, 10)), float(np.percentile(level, 90))
    for _ in range(_ROUNDS):
        soft = level < (low + high) / 2
        if not soft.any() or soft.all():
            return none
        low, high = float(level[soft].mean()), float(level[~soft].mean())
    spread = float(level[soft].std() + level[~soft].std())
    return soft if high - low >= max(LEAST_UNDER_DB, 2.0 * spread) else none
