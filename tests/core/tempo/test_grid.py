"""The grid: steps by their note value, triplets, dots and swing."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.tempo.grid import Grid

grids = st.builds(
    Grid,
    step=st.sampled_from([2, 4, 8, 16, 32, 64]),
    kind=st.sampled_from(["straight", "triplet", "dotted"]),
    swing_percent=st.floats(50, 80),
)


@pytest.mark.parametrize(
    ("grid", "beats"),
    [
        (Grid(step=16), 0.25),
        (Grid(step=8, kind="triplet"), 1 / 3),
        (Grid(step=4, kind="dotted"), 1.5),
        (Grid(step=2), 2.0),
    ],
)
def test_a_step_is_as_long_as_its_note_value(grid: Grid, beats: float) -> None:
    assert grid.step_beats == pytest.approx(beats)


def test_swing_at_two_thirds_is_a_triplet() -> None:
    swung = Grid(step=8, swing_percent=200 / 3).position(np.arange(6))
    assert np.allclose(swung, [0, 2 / 3, 1, 5 / 3, 2, 8 / 3])


@given(grids, st.lists(st.floats(-8, 500), min_size=1, max_size=50))
def test_no_step_is_nearer_than_the_nearest(grid: Grid, beats: list[float]) -> None:
    at = np.array(beats)
    nearest = grid.nearest(at)
    away = np.abs(grid.position(nearest) - at)
    for other in (-2, -1, 1, 2):
        assert (away <= np.abs(grid.position(nearest + other) - at) + 1e-6).all()


@given(grids, st.integers(-100, 2000))
def test_a_step_is_nearest_to_itself(grid: Grid, number: int) -> None:
    assert grid.nearest(grid.position(np.array([number]))).tolist() == [number]


def test_steps_are_called_as_drummers_count() -> None:
    assert Grid(step=16).labels(8) == ["1", "e", "+", "a", "2", "e", "+", "a"]
    assert Grid(step=8, kind="triplet").labels(6) == ["1", "t", "t", "2", "t", "t"]
    assert Grid(step=8).labels(6, beat_unit=8) == ["1", "2", "3", "4", "5", "6"]


GRIDS = st.builds(
    Grid,
    step=st.sampled_from([4, 8, 16, 32]),
    kind=st.sampled_from(["straight", "triplet", "dotted"]),
    swing_percent=st.floats(50, 75),
)


@pytest.mark.parametrize(
    ("grid", "wanted"),
    [
        (Grid(step=8), [0, 0.5, 1, 1.5]),
        (Grid(step=16), [0, 0.25, 0.5, 0.75]),
        (Grid(step=8, kind="triplet"), [0, 1 / 3, 2 / 3, 1]),
        (Grid(step=8, kind="dotted"), [0, 0.75, 1.5, 2.25]),
        (Grid(step=8, swing_percent=200 / 3), [0, 2 / 3, 1, 5 / 3]),
        (Grid(step=16, swing_percent=75), [0, 0.375, 0.5, 0.875]),
    ],
)
def test_steps_lie_where_arithmetic_puts_them(grid: Grid, wanted: list[float]) -> None:
    assert grid.position(np.arange(4)).tolist() == pytest.approx(wanted)
    assert grid.position(np.array([-2, -1])).tolist() == pytest.approx(
        [wanted[0] - 2 * grid.step_beats, wanted[1] - 2 * grid.step_beats]
    )
