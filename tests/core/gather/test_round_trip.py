"""The round trip, measured from a click that was moved by a known number of samples."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.gather import round_trip_s
from nubrak.core.mix import tick
from nubrak.core.problem import Problem

CLICKS_S = np.array([0.3, 1.05, 1.8, 2.55])


def heard(rate_hz: int, late: int, noise: float, missing: int = 0, level: float = 0.1) -> np.ndarray:
    out = noise * np.random.default_rng(late).standard_normal(round(3.6 * rate_hz))
    click = tick(rate_hz, True)
    for at in np.round(CLICKS_S * rate_hz).astype(int)[missing:]:
        out[at + late : at + late + len(click)] += level * click
    return out.astype(np.float32)


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
@pytest.mark.parametrize("late", [0, 511, 9001])
def test_it_is_told_to_the_sample(rate_hz: int, late: int) -> None:
    found = round_trip_s(heard(rate_hz, late, 0.002), rate_hz, tick(rate_hz, True), CLICKS_S)
    assert found * rate_hz == pytest.approx(late, abs=0.6)


def test_one_click_that_nobody_heard_does_no_harm() -> None:
    found = round_trip_s(heard(44100, 700, 0.002, missing=1), 44100, tick(44100, True), CLICKS_S)
    assert found * 44100 == pytest.approx(700, abs=0.6)


def test_it_is_told_from_a_room_turned_over_too() -> None:
    found = round_trip_s(-heard(44100, 700, 0.002), 44100, tick(44100, True), CLICKS_S)
    assert found * 44100 == pytest.approx(700, abs=0.6)


@pytest.mark.parametrize("sound", [np.zeros(160000, np.float32), heard(44100, 700, 0.3, level=0.0)])
def test_where_no_click_is_heard_it_says_so(sound: np.ndarray) -> None:
    with pytest.raises(Problem, match="did not hear the clicks"):
        round_trip_s(sound, 44100, tick(44100, True), CLICKS_S)
