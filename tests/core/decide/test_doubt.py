"""Doubt: how likely a decision is wrong, and whose word ends it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.decide.doubt import doubt_by_lines, doubt_of
from nubrak.core.decide.states import State

finite = st.floats(-30, 30)


def of(log_odds: float, state: State, over_line_db: float | None = None, rise_over_db: float = 5.0) -> float:
    line = None if over_line_db is None else np.array([over_line_db])
    return float(
        doubt_of(np.array([log_odds]), line, np.array([rise_over_db]), np.array([state], np.int8))[0]
    )


@given(finite, st.sampled_from(list(State)))
def test_doubt_never_passes_a_half_while_the_evidence_alone_decides(log_odds: float, state: State) -> None:
    assert 0 <= of(log_odds, state) <= 0.5


@given(finite, finite)
def test_the_surer_a_stroke_the_less_doubt_has_its_hit_and_the_more_has_its_refusal(
    one: float, other: float
) -> None:
    low, high = min(one, other), max(one, other)
    assert of(high, State.HIT) <= of(low, State.HIT)
    assert of(high, State.UNLIKE) >= of(low, State.UNLIKE)


@pytest.mark.parametrize("state", [State.KEPT, State.DROPPED, State.OUTSIDE])
@given(finite, finite)
def test_what_a_hand_decided_is_in_no_doubt(state: State, log_odds: float, over_db: float) -> None:
    assert of(log_odds, state) == 0 and of(log_odds, state, over_db) == 0
    columns = [np.array([over_db])] * 3
    assert doubt_by_lines(*columns, np.array([state], np.int8), 10.0)[0] == 0


def test_a_line_set_by_hand_that_the_evidence_speaks_against_may_be_very_wrong() -> None:
    assert of(8.0, State.UNDER, over_line_db=20.0) > 0.9  # surely a stroke, and yet it does not count
    assert of(8.0, State.HIT, over_line_db=20.0) < 0.05


@given(st.lists(finite, min_size=3, max_size=3), st.floats(0, 40))
def test_by_lines_it_is_a_half_on_the_nearest_line_and_falls_away_from_it(
    over: list[float], gap_db: float
) -> None:
    level, rise, spill = (np.array([one]) for one in over)
    state = np.array([State.HIT], np.int8)
    here = doubt_by_lines(level, rise, spill, state, gap_db)[0]
    assert 0 <= here <= 0.5
    on_line = doubt_by_lines(np.zeros(1), np.abs(rise), np.abs(spill), state, gap_db)[0]
    assert on_line == pytest.approx(0.5)


def test_a_wide_gap_makes_the_same_distance_surer() -> None:
    state = np.array([State.HIT], np.int8)
    far = np.array([30.0])
    narrow, wide = (doubt_by_lines(np.array([3.0]), far, far, state, gap)[0] for gap in (0.0, 20.0))
    assert wide < narrow
