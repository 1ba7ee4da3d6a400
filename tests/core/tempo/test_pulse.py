"""The pulse of hits: its rate among others, and its steps through a performance that wanders."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from nubrak.core.tempo.pulse import RATES_HZ, pulses, tracked


def even(rate_hz: float, length_s: float, spread_s: float, seed: int) -> np.ndarray:
    """Strokes of a steady hand, a fifth of them left out."""
    rng = np.random.default_rng(seed)
    at = np.arange(round(rate_hz * length_s)) / rate_hz + rng.normal(0, spread_s, round(rate_hz * length_s))
    return np.sort(at[rng.random(len(at)) < 0.8])


@given(st.floats(1.2, 7.0), st.integers(0, 30))
@settings(max_examples=20, deadline=None)
def test_the_strongest_pulse_is_that_of_the_hand_or_runs_with_it(rate_hz: float, seed: int) -> None:
    time_s = even(rate_hz, 30.0, 0.002, seed)
    best = RATES_HZ[int(np.argmax(pulses(time_s, np.ones(len(time_s)))))]
    assert best / rate_hz == pytest.approx(max(round(best / rate_hz), 1), rel=0.012)


def test_strokes_like_rain_have_a_weaker_pulse_than_a_hand() -> None:
    rain = np.sort(np.random.default_rng(1).uniform(0, 60, 240))
    hand = even(4.0, 60.0, 0.01, 1)
    assert pulses(rain, np.ones(len(rain))).max() < 0.6 * pulses(hand, np.ones(len(hand))).max()


@example(2.0, 0.0, 13)  # whose first stroke is not heard
@given(st.floats(2.0, 9.0), st.floats(-0.03, 0.03), st.integers(0, 30))
@settings(max_examples=20, deadline=None)
def test_steps_are_counted_through_a_tempo_that_bends(rate_hz: float, bend: float, seed: int) -> None:
    """A tempo that becomes 3 % faster or slower within a minute: no step is lost, none is counted twice."""
    rng = np.random.default_rng(seed)
    count = round(rate_hz * 60.0)
    true = np.concatenate([[0.0], np.cumsum(1.0 / (rate_hz * np.exp(bend * np.linspace(-1, 1, count))))])
    heard = rng.random(len(true)) < 0.8
    time_s = np.sort(true[heard] + rng.normal(0, 0.004, heard.sum()))
    knots_s, steps = tracked(time_s, np.ones(len(time_s)), rate_hz)
    # Before the first stroke that is heard, and behind the last, nothing is counted.
    between = np.flatnonzero(heard)
    counted = np.arange(between[0], between[-1] + 1)
    apart = np.interp(true[counted], knots_s, steps) - counted
    assert np.abs(apart - np.median(apart)).max() < 0.25
    assert abs(np.median(apart) - round(np.median(apart))) < 0.1, "on the strokes, not between"
