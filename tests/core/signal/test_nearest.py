"""The nearest in time, against asking every one."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.signal import distance_to_nearest, nearest_of, strongest_within

# eighths of a second: differences are exact, so that what is as near is seen to be
TIMES = st.lists(st.integers(0, 800).map(lambda eighths: eighths / 8), min_size=1, max_size=30)


@given(TIMES, TIMES)
def test_none_of_the_others_is_nearer_and_of_two_as_near_the_earlier_is_taken(
    values: list[float], among: list[float]
) -> None:
    value, others = np.array(values), np.sort(np.array(among))
    away = np.abs(others[None, :] - value[:, None])
    found = nearest_of(value, others)
    assert np.array_equal(away[np.arange(len(value)), found], away.min(axis=1))
    assert np.array_equal(others[found], others[np.argmin(away, axis=1)])
    assert np.array_equal(distance_to_nearest(value, others), away.min(axis=1))


def test_the_strongest_within_reach_is_taken_and_nothing_where_nothing_is() -> None:
    among = np.array([1.0, 1.01, 2.0, 2.03])
    strength = np.array([-20.0, -6.0, -3.0, -9.0])
    found = strongest_within(np.array([1.004, 1.5, 2.02, 0.0]), among, strength, 0.025)
    assert found.tolist() == [1, -1, 2, -1]
    assert strongest_within(np.array([1.0]), np.zeros(0), np.zeros(0), 1.0).tolist() == [-1]


def test_the_strongest_in_reach_is_the_nearest() -> None:
    found = strongest_within(
        np.array([0.1, 0.2, 0.5]), np.array([0.099, 0.101, 0.25]), np.array([-30.0, -10.0, -5.0]), 0.004
    )
    assert found.tolist() == [1, -1, -1]
