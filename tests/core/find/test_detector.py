"""The detector's signals: rises where sound begins, none where it goes on, and peaks that stand apart."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.find.detector import APART_FRAMES, peaks_of, rises_of, steepest

RATE_HZ, FRAME = 44100, 44


def noise(seconds: float, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(round(seconds * RATE_HZ)).astype(np.float32)


def test_the_rise_is_how_far_the_level_steps_up() -> None:
    mono = 0.001 * noise(1.0)
    mono[RATE_HZ // 2 :] *= 100  # by 40 dB
    level, rise = rises_of(mono, FRAME)
    at = RATE_HZ // 2 // FRAME
    # noise wanders by a few decibels from millisecond to millisecond
    assert rise[at - 8 : at + 8].max() == pytest.approx(40, abs=5)
    assert rise[: at - 8].max() < 8 and rise[at + 40 :].max() < 8
    assert np.median(level[at + 5 :]) - np.median(level[: at - 5]) == pytest.approx(40, abs=1)


@pytest.mark.parametrize("gain_db", [-30, -6, 6])
def test_rises_do_not_depend_on_the_gain(gain_db: float) -> None:
    mono = 0.01 * noise(0.5)
    mono[10000:] *= 10
    _, rise = rises_of(mono, FRAME)
    _, scaled = rises_of((mono * 10 ** (gain_db / 20)).astype(np.float32), FRAME)
    assert np.allclose(rise, scaled, atol=0.01)


def test_a_click_hidden_under_a_low_tone_rises_in_the_steepened_signals() -> None:
    seconds = np.arange(RATE_HZ) / RATE_HZ
    mono = (0.5 * np.sin(2 * np.pi * 60 * seconds)).astype(np.float32)
    mono[20000:20060] += 0.02 * noise(0.01)[:60]
    level, rise = rises_of(mono, FRAME)
    at = 20000 // FRAME
    assert np.ptp(level[at - 20 : at + 20]) < 20  # a cycle of the tone, and nothing besides
    assert rise[at - 3 : at + 4].max() > 20


@given(st.lists(st.floats(0, 40), min_size=1, max_size=400), st.floats(1, 20))
def test_peaks_are_high_enough_and_stand_apart(values: list[float], least_db: float) -> None:
    rises = np.array(values)
    peaks = peaks_of(rises, least_db)
    assert (rises[peaks] >= least_db).all()
    for peak in peaks:
        assert rises[peak] == rises[max(peak - APART_FRAMES, 0) : peak + APART_FRAMES + 1].max()
    if rises.max() >= least_db:
        assert int(rises.argmax()) in peaks


@given(st.integers(20, 60), st.integers(-2, 4))
def test_the_steepest_step_near_a_place_is_found(step_at: int, off: int) -> None:
    level = np.where(np.arange(100) >= step_at, -10.0, -60.0)
    found = steepest(level, np.array([step_at - off]))[0]
    assert level[found + 1] - level[found - 2] == 50.0
