"""Rules between neighbours: hold-off, re-arm, and what was dropped by hand."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide.marks import SURE_NATS
from nubrak.core.decide.settings import MARK_REACH_S
from nubrak.core.decide.states import State


def surest_of_near(
    time_s: NDArray[np.float64],
    level_db: NDArray[np.float64],
    stroke_probability: NDArray[np.float64],
    strokes: NDArray[np.bool_],
    hold_s: float,
) -> NDArray[np.bool_]:
    """The ``strokes`` (n,) without those that have a surer, or as sure and louder, one beside them inside the
    hold-off.
    """
    rows = _in_order_of_time(np.nonzero(strokes)[0], time_s)
    worth = 1000.0 * np.round(np.minimum(stroke_probability[rows], 0.95), 1) + level_db[rows]
    near = np.diff(time_s[rows]) < hold_s
    beaten = np.zeros(len(rows), bool)
    beaten[:-1] |= near & (worth[1:] > worth[:-1])
    beaten[1:] |= near & (worth[:-1] >= worth[1:])
    out = strokes.copy()
    out[rows[beaten]] = False
    return out


def _in_order_of_time(rows: NDArray[np.int64], time_s: NDArray[np.float64]) -> NDArray[np.int64]:
    times = time_s[rows]
    return rows if bool(np.all(times[1:] >= times[:-1])) else rows[np.argsort(times, kind="stable")]


def apply_hold_off(
    time_s: NDArray[np.float64],
    level_db: NDArray[np.float64],
    log_odds: NDArray[np.float64],
    state: NDArray[np.int8],
    other: NDArray[np.int64],
    hold_s: float,
) -> None:
    """Of hits closer than ``hold_s``, let the surest stand, of equally sure ones the loudest. Hits kept by
    hand always stand and hold others off.

    ``time_s``, ``level_db`` and ``log_odds`` are (n,); ``state`` and ``other`` (n,) are changed in place:
    what is held off says in ``other`` by which row.
    """
    rows = np.nonzero((state == State.HIT) | (state == State.KEPT))[0]
    if len(rows) < 2:
        return
    rows = _in_order_of_time(rows, time_s)
    near = np.diff(time_s[rows]) < hold_s
    crowded = rows[np.concatenate([near, [False]]) | np.concatenate([[False], near])]
    kept = state[crowded] == State.KEPT
    order = np.lexsort(
        (time_s[crowded], -level_db[crowded], -np.round(np.minimum(log_odds[crowded], SURE_NATS)), ~kept)
    )
    # Plain lists: a loop over single numbers is several times faster on them than on arrays.
    times, is_kept, rank = time_s[crowded].tolist(), kept.tolist(), order.tolist()
    held_by = [-1] * len(times)
    for at in rank:
        if held_by[at] >= 0 and not is_kept[at]:
            continue
        for step in (-1, 1):
            next_to = at + step
            while 0 <= next_to < len(times) and abs(times[next_to] - times[at]) < hold_s:
                if held_by[next_to] < 0 and not is_kept[next_to]:
                    held_by[next_to] = at
                next_to += step
    by = np.array(held_by, np.int64)
    held = (by >= 0) & ~kept
    state[crowded[held]] = State.HELD_OFF
    other[crowded[held]] = crowded[by[held]]


def of_one_sound(
    attack_s: NDArray[np.float64], state: NDArray[np.int8], other: NDArray[np.int64]
) -> NDArray[np.bool_]:
    """Which candidates, (n,), were held off by another step of the same sound, and so say nothing of their
    own.
    """
    return np.asarray((state == State.HELD_OFF) & (other >= 0) & (attack_s == attack_s[np.maximum(other, 0)]))


def no_twin_of_what_was_dropped(
    time_s: NDArray[np.float64], state: NDArray[np.int8], other: NDArray[np.int64]
) -> None:
    """Where a person said that nothing was struck, what was held off until then does not step forward.

    ``time_s`` is (n,); ``state`` and ``other`` (n,) are changed in place.
    """
    hits = np.nonzero(state == State.HIT)[0]
    for row in np.nonzero(state == State.DROPPED)[0].tolist():
        twins = hits[np.abs(time_s[hits] - time_s[row]) <= MARK_REACH_S]
        state[twins], other[twins] = State.HELD_OFF, row


def apply_re_arm(
    level_db: NDArray[np.float64],
    before_db: NDArray[np.float64],
    state: NDArray[np.int8],
    other: NDArray[np.int64],
    fall_db: float,
) -> None:
    """A hit counts only when the level has fallen ``fall_db`` under the hit before it, or when it is louder
    than that one by as much.

    ``level_db`` and ``before_db``, the level just before each, are (n,); ``state`` and ``other`` (n,) are
    changed in place.
    """
    rows = np.nonzero((state == State.HIT) | (state == State.KEPT))[0].tolist()
    level, before, states = level_db.tolist(), before_db.tolist(), state.tolist()
    last = -1
    for row in rows:
        if (
            last >= 0
            and states[row] == State.HIT
            and before[row] > level[last] - fall_db
            and level[row] < level[last] + fall_db
        ):
            state[row], other[row] = State.NOT_ARMED, last
            continue
        last = row
