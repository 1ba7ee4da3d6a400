"""Levels against the published definition of full scale, and back again."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.signal.level import FLOOR_DB, db_to_gain, db_to_power, power_ratio_to_db, power_to_db


def test_a_full_scale_sine_reads_zero_and_a_square_three_more() -> None:
    # AES17-2015, 3.12: 0 dBFS is the RMS level of a full-scale sine (from memory).
    sine = np.sin(2 * np.pi * np.arange(48000) * 997 / 48000)
    assert power_to_db(np.mean(sine**2)) == pytest.approx(0, abs=1e-3)
    assert power_to_db(np.ones(1)) == pytest.approx(3.0103, abs=1e-4)


@given(st.floats(-100, 40), st.floats(-100, 40))
def test_decibels_add_where_factors_multiply(one: float, other: float) -> None:
    assert db_to_gain(one) * db_to_gain(other) == pytest.approx(db_to_gain(one + other))
    assert db_to_gain(one) ** 2 == pytest.approx(db_to_power(one))
    assert power_ratio_to_db(db_to_power(one)) == pytest.approx(one, abs=1e-9)


@given(st.floats(0, 4))
def test_no_level_is_under_the_floor(power: float) -> None:
    assert power_to_db(np.array([power]))[0] >= FLOOR_DB
    assert np.isfinite(power_ratio_to_db(0.0))
