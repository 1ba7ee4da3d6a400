"""Rules between neighbours, against the same rules written as plain loops."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.decide.rules import (
    apply_hold_off,
    apply_re_arm,
    no_twin_of_what_was_dropped,
    of_one_sound,
    surest_of_near,
)
from nubrak.core.decide.states import State

HOLD_S = 0.03
candidates = st.lists(
    st.tuples(
        st.integers(0, 400),  # milliseconds
        st.integers(-60, 0),  # dB
        st.sampled_from([State.HIT, State.HIT, State.KEPT, State.UNDER, State.DROPPED]),
    ),
    min_size=1,
    max_size=40,
    unique_by=lambda one: one[0],
).map(sorted)


def columns(found: list[tuple[int, int, State]]) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    time_s = np.array([one[0] for one in found]) / 1000
    state = np.array([one[2] for one in found], np.int8)
    return time_s, np.array([float(one[1]) for one in found]), state, np.full(len(found), -1, np.int64)


@given(candidates)
def test_hold_off_leaves_no_two_close_hits_and_loses_none_without_a_reason(
    found: list[tuple[int, int, State]],
) -> None:
    time_s, level, state, other = columns(found)
    before = state.copy()
    apply_hold_off(time_s, level, np.zeros(len(found)), state, other, HOLD_S)
    stands = np.nonzero(np.isin(state, (State.HIT, State.KEPT)))[0]
    for a, b in pairwise(stands):
        if State.HIT in (state[a], state[b]):
            assert time_s[b] - time_s[a] >= HOLD_S
    assert np.array_equal(state[before == State.KEPT], before[before == State.KEPT])
    for row in np.nonzero(state == State.HELD_OFF)[0]:
        by = other[row]
        assert before[row] == State.HIT and abs(time_s[row] - time_s[by]) < HOLD_S
        assert state[by] == State.KEPT or level[by] >= level[row]
    untouched = ~np.isin(before, (State.HIT, State.KEPT))
    assert np.array_equal(state[untouched], before[untouched])


@given(candidates)
def test_re_arm_asks_each_hit_whether_it_had_fallen_silent(found: list[tuple[int, int, State]]) -> None:
    _, level, state, other = columns(found)
    fallen = np.random.default_rng(len(found)).uniform(-70, 0, len(found))
    was, wanted, last = state.copy(), state.copy(), None
    for row in range(len(found)):
        if was[row] not in (State.HIT, State.KEPT):
            continue
        still = last is not None and fallen[row] > level[last] - 6 and level[row] < level[last] + 6
        if was[row] == State.HIT and still:
            wanted[row] = State.NOT_ARMED
        else:
            last = row
    apply_re_arm(level, fallen, state, other, 6.0)
    assert np.array_equal(state, wanted)
    assert ((other >= 0) == (state == State.NOT_ARMED)).all()


@given(candidates)
def test_the_surest_of_near_are_strokes_of_which_none_beside_is_surer(
    found: list[tuple[int, int, State]],
) -> None:
    time_s, level, state, _ = columns(found)
    sure = np.random.default_rng(7).choice([0.2, 0.5, 0.9], len(found))
    strokes = state == State.HIT
    left = surest_of_near(time_s, level, sure, strokes, HOLD_S)
    assert not (left & ~strokes).any()
    rows = np.nonzero(strokes)[0].tolist()
    for place, row in enumerate(rows):
        beside = rows[max(place - 1, 0) : place] + rows[place + 1 : place + 2]
        rivals = [(sure[one], level[one]) for one in beside if abs(time_s[one] - time_s[row]) < HOLD_S]
        mine = (sure[row], level[row])
        assert not any(rival > mine for rival in rivals) if left[row] else any(r >= mine for r in rivals)


def test_what_was_dropped_lets_no_twin_step_forward() -> None:
    time_s = np.array([1.0, 1.004, 1.5])
    state = np.array([State.DROPPED, State.HIT, State.HIT], np.int8)
    other = np.full(3, -1, np.int64)
    no_twin_of_what_was_dropped(time_s, state, other)
    assert state.tolist() == [State.DROPPED, State.HELD_OFF, State.HIT] and other.tolist() == [-1, 0, -1]


def test_steps_of_one_sound_are_told_from_strokes_held_off() -> None:
    attack_s = np.array([1.0, 1.0, 1.02])
    state = np.array([State.HIT, State.HELD_OFF, State.HELD_OFF], np.int8)
    assert of_one_sound(attack_s, state, np.array([-1, 0, 0])).tolist() == [False, True, False]
