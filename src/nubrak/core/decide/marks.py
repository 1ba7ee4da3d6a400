"""Marks to candidates: which candidate each mark by hand speaks of."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide.settings import MARK_REACH_S, Mark
from nubrak.core.signal import nearest_of

_AT_S = 0.0005  # and speaks of the very place within this
SURE_NATS = 3.0  # 95 %: surer than that, level and time decide between two


def rows_of_marks(time_s: NDArray[np.float64], marks: list[Mark]) -> dict[int, Mark]:
    """The candidate each mark speaks of: the nearest within reach. The latest mark on a candidate wins.

    ``time_s`` (n,) is where candidates were found.
    """
    rows: dict[int, Mark] = {}
    if not len(time_s) or not marks:
        return rows
    at = np.array([mark.time_s for mark in marks])
    near = nearest_of(at, time_s)
    for mark, row, away in zip(marks, near.tolist(), np.abs(time_s[near] - at).tolist(), strict=True):
        if away <= MARK_REACH_S:
            rows[row] = mark
    return rows


def of_whole_sounds(
    marked: dict[int, Mark],
    time_s: NDArray[np.float64],
    attack_s: NDArray[np.float64],
    level_db: NDArray[np.float64],
    log_odds: NDArray[np.float64],
) -> tuple[dict[int, Mark], NDArray[np.float64]]:
    """Where several candidates are steps of one sound, a mark at its attack goes to the step that stands for
    it; a step that is marked at its own place parts from the sound. ``attack_s`` (n,) is the same for all
    steps of a sound. Returns the marks by row, and the attacks.

    ``time_s``, ``level_db`` and ``log_odds`` are (n,), a row for each candidate.
    """
    if not marked:
        return marked, attack_s
    places, steps = np.unique(attack_s, return_counts=True)
    of_several = set(places[steps > 1].tolist())
    if not of_several:
        return marked, attack_s
    worst_first = np.lexsort((level_db, np.round(np.minimum(log_odds, SURE_NATS))))
    stands_for = dict(zip(attack_s[worst_first].tolist(), worst_first.tolist(), strict=True))
    out, parted = {}, attack_s.copy()
    for row, mark in marked.items():
        began_s = float(attack_s[row])
        if began_s in of_several:
            if abs(mark.time_s - began_s) <= _AT_S:
                row = stands_for[began_s]
            elif began_s != time_s[row] and (mark.kind != "drop" or stands_for[began_s] != row):
                parted[row] = time_s[row]
        out[row] = mark
    return out, parted
