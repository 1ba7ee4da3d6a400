"""Spill: what strokes on other pieces put into a microphone, learnt from the session itself.

For every pair of microphones the strokes of the one are matched with the candidates of the other; the level difference of
most of them is the leak, and a candidate no louder than a leaking stroke predicts is that stroke heard from afar.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_EARLY_S = 0.003
_LATE_S = 0.012  # 4 m at 343 m/s
_LEAST_PAIRS = 5
_NEVER_DB = -200.0


@dataclass(frozen=True)
class Spill:
    """Per candidate of one part: the loudest predicted spill and where it comes from.

    ``level_db`` (n,), ``source`` (n,) an index into ``names`` or -1.
    """

    level_db: NDArray[np.float64]
    source: NDArray[np.int64]
    names: tuple[str, ...]


@dataclass(frozen=True)
class Heard:
    """One part as the spill model sees it: its candidates' times and levels in its own band, and which are its own strokes."""

    name: str
    time_s: NDArray[np.float64]
    level_db: NDArray[np.float64]
    strokes: NDArray[np.bool_]


def match(time_s: NDArray[np.float64], other_s: NDArray[np.float64]) -> NDArray[np.int64]:
    """For every time, the index of the ``other_s`` stroke that could be heard there, or -1: the nearest that is at most
    ``_LATE_S`` earlier or ``_EARLY_S`` later. Both are in order of time.
    """
    if not len(other_s):
        return np.full(len(time_s), -1, np.int64)
    right = np.searchsorted(other_s, time_s)
    left = np.maximum(right - 1, 0)
    right = np.minimum(right, len(other_s) - 1)
    nearest = np.where(np.abs(other_s[right] - time_s) < np.abs(other_s[left] - time_s), right, left)
    delay = time_s - other_s[nearest]
    return np.where((delay <= _LATE_S) & (delay >= -_EARLY_S), nearest, -1).astype(np.int64)


def leak_db(here: Heard, there: Heard) -> float | None:
    """How much quieter strokes of ``there`` arrive in ``here``, in dB, or None where it cannot be told.

    Some of the matched candidates are true strokes of this piece played together with the other, and stand far above the
    leak; the leak is the level under which the dense lower part of the differences lies.
    """
    loud = there.strokes & (there.level_db > np.percentile(there.level_db[there.strokes], 30) if there.strokes.any() else False)
    if not loud.any():
        return None
    found = match(here.time_s, there.time_s[loud])
    rows = np.nonzero(found >= 0)[0]
    if len(rows) < _LEAST_PAIRS:
        return None
    difference = np.sort(here.level_db[rows] - there.level_db[loud][found[rows]])
    low = float(np.percentile(difference, 20))
    core = difference[difference < low + 10.0]
    return float(np.percentile(core, 75))


def predict(here: Heard, others: list[Heard]) -> Spill:
    """The loudest spill that the others' strokes put at each candidate of ``here``."""
    level = np.full(len(here.time_s), _NEVER_DB)
    source = np.full(len(here.time_s), -1, np.int64)
    for index, there in enumerate(others):
        leak = leak_db(here, there)
        # What leaks as loud as it was played is the same piece, not spill.
        if leak is None or leak > -3.0:
            continue
        found = match(here.time_s, there.time_s[there.strokes])
        predicted = np.where(found >= 0, there.level_db[there.strokes][np.maximum(found, 0)] + leak, _NEVER_DB)
        louder = predicted > level
        level[louder], source[louder] = predicted[louder], index
    return Spill(level, source, tuple(other.name for other in others))
