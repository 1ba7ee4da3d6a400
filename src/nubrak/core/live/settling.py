"""How hard a stroke was struck, told once more when its body has come: a note must go out after a few
milliseconds, what is kept of it can wait. A kick's first 5 ms hardly tell its strength; 23 ms do, from which
Find reads it too.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.live.calibration import BEFORE, GAP

READ_HOPS = 33  # 23 ms: what Find reads a level from
_LEAST_HOPS, _CLEAR_HOPS = 6, 2  # read at least; left out before the next stroke


@dataclass(frozen=True)
class Settled:
    """How hard the stroke of a microphone (``channel``) that began at ``time_s`` was, in dBFS."""

    channel: int
    time_s: float
    strength_db: float


@dataclass(frozen=True)
class Unsettled:
    """A stroke whose body is still to come: the hop it began in, and what rang before by bands, (BANDS,)."""

    channel: int
    time_s: float
    hop: int
    before: NDArray[np.float64]


def unsettled(levels: NDArray[np.float64], channel: int, time_s: float, hop: int) -> Unsettled:
    """A stroke that was decided just now, in the ring of levels (c, BANDS, HOPS)."""
    before = _read(levels, channel, hop - BEFORE - GAP, hop - GAP).mean(axis=1)
    return Unsettled(channel, time_s, hop, before)


def is_due(one: Unsettled, heard_hops: int) -> bool:
    """Whether all that its strength is read from was heard."""
    return heard_hops >= one.hop + READ_HOPS


def settled_power(
    levels: NDArray[np.float64], one: Unsettled, next_hop: int | None, heard_hops: int
) -> NDArray[np.float64]:
    """The power of a stroke by bands, (BANDS,), over what rang before, up to where the next begins."""
    end = min(one.hop + READ_HOPS, heard_hops)
    if next_hop is not None:
        end = min(end, max(next_hop - _CLEAR_HOPS, one.hop + _LEAST_HOPS))
    now = _read(levels, one.channel, one.hop, end).mean(axis=1)
    return np.asarray(np.maximum(now - one.before, 0.005 * now))


def _read(levels: NDArray[np.float64], channel: int, first: int, end: int) -> NDArray[np.float64]:
    """Hops from ``first`` up to ``end``, (BANDS, hops)."""
    hops = levels.shape[2]
    return np.asarray(levels[channel][:, np.arange(max(first, end - hops), end) % hops])
