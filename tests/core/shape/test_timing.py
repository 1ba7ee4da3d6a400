"""Grids from arithmetic, quantising exactly as far as asked, feels taken and laid on."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.shape.feel import Feel, FeelStep, feel_of, steps_of_bar
from nubrak.core.shape.timing import FeelUse, Quantise, Timing, deviation_ms, felt, gestures, quantised, timed
from nubrak.core.tempo.grid import Grid
from nubrak.core.tempo.tempo_map import Tempo, TempoChange, seconds_at

GRIDS = st.builds(
    Grid,
    step=st.sampled_from([4, 8, 16, 32]),
    kind=st.sampled_from(["straight", "triplet", "dotted"]),
    swing_percent=st.floats(50, 75),
)


@given(
    GRIDS,
    st.floats(0, 100),
    st.lists(st.floats(1, 60), min_size=1, max_size=30, unique=True),
    st.floats(50, 200),
)
def test_strokes_go_exactly_as_far_as_asked(
    grid: Grid, percent: float, times: list[float], bpm: float
) -> None:
    tempo = Tempo(bpm=bpm, bar_one_s=0.3)
    time_s = np.sort(times)
    velocity = np.full(len(time_s), 90)
    moved = quantised(time_s, velocity, tempo, Quantise(grid=grid, strength_percent=percent, together_ms=0))
    _, late_ms = deviation_ms(time_s, tempo, grid)
    assert np.allclose(moved - time_s, -late_ms / 1000 * percent / 100, atol=1e-9)


def test_off_or_nought_percent_is_as_played_to_the_sample() -> None:
    time_s = np.sort(np.random.default_rng(1).uniform(0, 30, 200))
    velocity = np.full(200, 80)
    assert np.array_equal(timed(time_s, velocity, Tempo(), Timing())[0], time_s)
    assert np.array_equal(quantised(time_s, velocity, Tempo(), Quantise(on=False)), time_s)
    assert np.array_equal(quantised(time_s, velocity, Tempo(), Quantise(strength_percent=0)), time_s)


def test_strokes_outside_the_window_are_left_alone() -> None:
    time_s = np.array([0.01, 0.56, 1.0])
    moved = quantised(time_s, np.full(3, 90), Tempo(bpm=120), Quantise(grid=Grid(step=8), within_ms=30))
    assert moved.tolist() == pytest.approx([0.0, 0.56, 1.0])


def test_flams_and_drags_keep_their_shape() -> None:
    # A drag before the stroke on 1.02 s, which alone is drawn to 1 s.
    time_s, velocity = np.array([0.5, 0.955, 0.985, 1.02, 1.5]), np.array([100, 40, 45, 110, 100])
    moved = quantised(time_s, velocity, Tempo(bpm=120), Quantise(grid=Grid(step=8)))
    assert moved.tolist() == pytest.approx([0.5, 0.935, 0.965, 1.0, 1.5])
    of, main = gestures(time_s, velocity, 45)
    assert of.tolist() == [0, 1, 1, 1, 2] and main.tolist() == [0, 3, 4]


def test_the_grid_follows_a_tempo_map() -> None:
    tempo = Tempo(bpm=120, changes=[TempoChange(time_s=2.0, bpm=60)])
    moved = quantised(
        np.array([1.98, 3.07]), np.array([90, 90]), tempo, Quantise(grid=Grid(step=4), together_ms=0)
    )
    assert moved.tolist() == pytest.approx([2.0, 3.0])


def _performance(
    feel: list[tuple[float, float]], bars: int, jitter_ms: float, seed: int
) -> tuple[np.ndarray, np.ndarray, Tempo]:
    rng, tempo = np.random.default_rng(seed), Tempo(bpm=96, bar_one_s=0.4)
    beats = np.arange(bars * len(feel)) * 4.0 / len(feel)
    late = np.tile([one for one, _ in feel], bars) + rng.normal(0, jitter_ms, len(beats))
    velocity = np.round(np.tile([80 * strength for _, strength in feel], bars) + rng.normal(0, 2, len(beats)))
    return seconds_at(tempo, beats) + late / 1000, np.clip(velocity, 1, 127).astype(int), tempo


def test_a_known_feel_comes_out_of_a_performance_made_with_it() -> None:
    known = [(0, 1.3), (12, 0.7), (4, 1.0), (18, 0.6), (-3, 1.25), (11, 0.75), (5, 1.0), (16, 0.65)]
    time_s, velocity, tempo = _performance(known, 24, 3, 7)
    grid = Grid(step=8)
    step, late_ms = deviation_ms(time_s, tempo, grid)
    feel = feel_of("Late hat", step, late_ms, velocity, grid, tempo.bar_beats)
    assert len(feel.steps) == 8 and all(one.count == 24 for one in feel.steps)
    usual = np.median(velocity)
    for one, (late, strength) in zip(feel.steps, known, strict=True):
        assert one.late_ms == pytest.approx(late, abs=2.0)
        assert one.strength == pytest.approx(80 * strength / usual, abs=0.05)
        assert one.spread_ms == pytest.approx(
            3 * 0.6745, abs=1.5
        )  # of a normal distribution, half lie within 0.6745 deviations


def test_a_feel_laid_on_moves_by_its_amounts_apart_and_leaves_unknown_steps() -> None:
    feel = Feel(
        name="Laid back",
        grid=Grid(step=8),
        bar_beats=4,
        steps=[
            FeelStep(late_ms=20 * (n % 2), strength=1 - 0.4 * (n % 2), count=0 if n == 6 else 4)
            for n in range(8)
        ],
    )
    tempo = Tempo(bpm=120)
    time_s, velocity = np.arange(8) * 0.25, np.full(8, 100)
    moved, struck = felt(time_s, velocity, tempo, FeelUse(feel=feel))
    assert (moved - time_s).tolist() == pytest.approx([0, 0.02] * 4)
    assert struck.tolist() == [100, 60] * 4
    half, kept = felt(time_s, velocity, tempo, FeelUse(feel=feel, timing_percent=50, strength_percent=0))
    assert (half - time_s).tolist() == pytest.approx([0, 0.01] * 4) and kept.tolist() == [100] * 8
    late = time_s.copy()
    late[6] += 0.03
    assert felt(late, velocity, tempo, FeelUse(feel=feel))[0][6] == pytest.approx(late[6])


def test_a_feel_laid_on_its_own_player_changes_the_median_not_at_all() -> None:
    time_s, velocity, tempo = _performance([(0, 1.2), (9, 0.8), (2, 1.0), (14, 0.8)], 20, 4, 3)
    grid = Grid(step=4)
    step, late_ms = deviation_ms(time_s, tempo, grid)
    feel = feel_of("Own", step, late_ms, velocity, grid, 4)
    moved, _ = felt(time_s, velocity, tempo, FeelUse(feel=feel))
    again = feel_of("Again", *deviation_ms(moved, tempo, grid), velocity, grid, 4)
    assert [one.late_ms for one in again.steps] == pytest.approx(
        [one.late_ms for one in feel.steps], abs=0.01
    )
    assert max(one.spread_ms for one in again.steps) < 0.01


def test_bars_whose_steps_do_not_fit_once_are_taken_together() -> None:
    assert steps_of_bar(Grid(step=16), 4) == 16 and steps_of_bar(Grid(step=8, kind="triplet"), 4) == 12
    assert (
        steps_of_bar(Grid(step=8, kind="dotted"), 4) == 16
    )  # three bars of four make sixteen dotted eighths
    assert steps_of_bar(Grid(step=8, swing_percent=66), 3.5) == 14  # seven eighths, in pairs: two bars


def test_a_shift_moves_all_of_it_and_nothing_before_zero() -> None:
    moved, _ = timed(np.array([0.001, 1.0]), np.array([90, 90]), Tempo(), Timing(shift_ms=-5))
    assert moved.tolist() == pytest.approx([0.0, 0.995])
