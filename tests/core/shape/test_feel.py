"""Feels: how early and how strong a player is on each step, as a rule."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.shape.feel import feel_of, steps_of_bar
from nubrak.core.tempo.grid import Grid


def test_a_feel_is_the_median_of_its_bars_and_one_slip_does_not_count() -> None:
    bars, late = 9, np.array([0.0, 6.0, -3.0, 12.0])
    step = np.tile(np.arange(4), bars)
    late_ms = np.tile(late, bars)
    late_ms[5] = 90.0  # a slip
    velocity = np.tile(np.array([100, 50, 80, 50]), bars)
    feel = feel_of("Lamp", step, late_ms, velocity, Grid(step=4), 4.0)
    assert [one.late_ms for one in feel.steps] == late.tolist()
    assert [one.count for one in feel.steps] == [bars] * 4
    usual = float(np.median(velocity))
    assert [one.strength for one in feel.steps] == pytest.approx(
        np.array([100, 50, 80, 50]) / usual, abs=1e-4
    )
    assert all(one.spread_ms == 0 for one in feel.steps)


def test_steps_that_nobody_played_say_so() -> None:
    feel = feel_of("Lamp", np.array([0, 16]), np.zeros(2), np.array([90, 90]), Grid(step=16), 4.0)
    assert [one.count for one in feel.steps] == [2] + [0] * 15


@pytest.mark.parametrize(
    ("grid", "bar_beats", "steps"),
    [
        (Grid(step=16), 4.0, 16),
        (Grid(step=8, kind="triplet"), 4.0, 12),
        (Grid(step=8), 3.5, 7),
        (Grid(step=8, swing_percent=60), 3.5, 14),  # swing comes in twos: two bars until it meets the line
        (Grid(step=4, kind="dotted"), 4.0, 8),  # three bars of four beats hold eight dotted quarters
    ],
)
def test_grid_and_bar_line_meet_again(grid: Grid, bar_beats: float, steps: int) -> None:
    assert steps_of_bar(grid, bar_beats) == steps
