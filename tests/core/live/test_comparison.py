"""Live against offline: each stroke once, and the same whichever is called which."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.live import REACH_S, compared

times = st.lists(st.floats(0, 20, allow_nan=False), max_size=40).map(
    lambda one: np.sort(np.array(one, float))
)


@given(times, times)
def test_every_stroke_is_said_once(live_s: np.ndarray, offline_s: np.ndarray) -> None:
    found = compared(live_s, offline_s)
    assert sorted([*found.same[:, 0], *found.only_live]) == list(range(len(live_s)))
    assert sorted([*found.same[:, 1], *found.only_offline]) == list(range(len(offline_s)))
    assert all(abs(live_s[i] - offline_s[j]) <= REACH_S for i, j in found.same)


def test_the_nearer_one_is_the_same_and_the_other_false() -> None:
    found = compared(np.array([1.000, 1.006, 3.0]), np.array([1.005, 2.0]))
    assert found.same.tolist() == [[1, 0]]
    assert found.only_live.tolist() == [0, 2]
    assert found.only_offline.tolist() == [1]
