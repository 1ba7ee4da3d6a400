"""Prediction: what the strokes of all others must have put into a microphone, by the leaks that were
learnt.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.signal import db_to_power, power_ratio_to_db, strongest_within
from nubrak.core.spill.leaks import SPREAD_REGIONS, Leak
from nubrak.core.spill.onsets import PartOnsets

_LATER_S, _LATER_REACH_S = 0.0115, 0.008  # the window of a stroke hears what comes up to 20 ms after it


@dataclass(frozen=True)
class Spilt:
    """What the others' strokes put at each candidate of a part: ``power`` (n, bands), ``later`` (n, bands)
    what those put into its window that are due somewhat later; ``source`` (n,) the index in ``names`` of the
    part that puts most, or -1, and ``spread_db`` (n, 3) how far from that its arrivals lie; ``off_s`` (n,)
    how far the arrival is from where that part's spill is due; ``at_s`` (n,) when that part was struck.
    """

    power: NDArray[np.float32]
    later: NDArray[np.float32]
    source: NDArray[np.int64]
    off_s: NDArray[np.float64]
    at_s: NDArray[np.float64]
    spread_db: NDArray[np.float64]
    names: tuple[str, ...]


def predict(
    key: str,
    heard: dict[str, PartOnsets],
    leaks: dict[tuple[str, str], Leak],
    own: dict[str, NDArray[np.float64]] | None,
    only: frozenset[str] | None = None,
) -> Spilt:
    """What the others' strokes put into the part ``key``.

    ``own`` holds how likely each candidate of each part is a stroke of its own; None takes each as one.
    ``only`` names the parts that are believed to leak.
    """
    here = heard[key]
    time_s, count = here.candidates.time_s, len(here.level_db)
    total, later, most = (
        np.zeros(here.onset_power.shape, np.float32),
        np.zeros(here.onset_power.shape, np.float32),
        np.zeros(count),
    )
    source, off, at_s = np.full(count, -1, np.int64), np.full(count, np.inf), np.full(count, np.nan)
    spread = np.ones((count, len(SPREAD_REGIONS)))
    names = tuple(k for k in heard if (k, key) in leaks and (only is None or k in only))
    for number, other in enumerate(names):
        there, leak = heard[other], leaks[other, key]
        weight = np.ones(len(there.level_db)) if own is None else np.where(own[other] > 0.05, own[other], 0.0)
        their_s = there.candidates.time_s
        due = time_s - leak.delay_s
        strength = there.level_db + power_ratio_to_db(weight, 1e-12)
        rows, j, power = _arriving(due, their_s, strength, weight, there.onset_power, leak, leak.reach_s)
        total[rows] += power
        after, _, more_power = _arriving(
            due + _LATER_S, their_s, strength, weight, there.onset_power, leak, _LATER_REACH_S
        )
        later[after] += more_power
        inside = power[:, here.inside].sum(axis=1)
        more = inside > most[rows]
        taken = rows[more]
        most[taken] = inside[more]
        source[taken] = number
        spread[taken] = leak.spread_db
        at_s[taken] = their_s[j[more]]
        off[taken] = due[taken] - at_s[taken]
    return Spilt(total, later, source, off, at_s, spread, names)


def _arriving(
    due_s: NDArray[np.float64],
    their_s: NDArray[np.float64],
    strength: NDArray[np.float64],
    weight: NDArray[np.float64],
    onset_power: NDArray[np.float32],
    leak: Leak,
    reach_s: float,
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]:
    """The rows (m,) at which another's stroke arrives, which stroke, (m,), and the power per band it brings,
    (m, bands).
    """
    j = strongest_within(due_s, their_s, strength, reach_s)
    rows = np.nonzero((j >= 0) & (weight[np.maximum(j, 0)] > 0))[0] if len(weight) else np.zeros(0, np.int64)
    j = j[rows]
    drift = weight[j] * db_to_power(leak.local_db[rows])
    return rows, j, onset_power[j] * (leak.colour * drift[:, None]).astype(np.float32)
