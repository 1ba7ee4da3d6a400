"""Third octaves: their edges as the standard lays them, and power that lands in the band it belongs to."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.find.bands import BAND_EDGES_HZ, attack_spectra, within

RATE_HZ = 48000
# Nominal mid-band frequencies of third octaves (IEC 61260-1:2014, annex E; from memory).
NOMINAL_HZ = [40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600, 2000, 2500]


def test_edges_are_a_third_of_an_octave_apart_and_lie_on_the_nominal_frequencies() -> None:
    inner = BAND_EDGES_HZ[1:-1]
    assert np.allclose(inner[1:] / inner[:-1], 2 ** (1 / 3))
    nearest = inner[np.abs(np.log(inner[:, None] / NOMINAL_HZ)).argmin(axis=0)]
    assert np.allclose(nearest, NOMINAL_HZ, rtol=0.02) and len(set(nearest)) == len(NOMINAL_HZ)


@pytest.mark.parametrize("own", [5, 9, 14, 19, 24, 27])
def test_a_tone_is_loudest_in_its_own_band_after_it_begins_and_silent_before(own: int) -> None:
    hz = float(np.sqrt(BAND_EDGES_HZ[own] * BAND_EDGES_HZ[own + 1]))
    begins = RATE_HZ // 2
    mono = np.zeros(RATE_HZ, np.float32)
    mono[begins:] = np.sin(2 * np.pi * hz * np.arange(RATE_HZ - begins) / RATE_HZ)
    after, before, peak = attack_spectra(mono, np.array([begins]), RATE_HZ)
    assert int(after[0].argmax()) == own
    assert before[0].sum() < 1e-6 * after[0].sum()
    assert peak[0] == pytest.approx(1.0, abs=0.05)


@given(st.floats(20, 18000), st.floats(20, 18000))
def test_between_two_frequencies_there_is_always_a_band_and_none_outside(one: float, other: float) -> None:
    low, high = min(one, other), max(one, other)
    inside = within(low, high)
    assert inside.any()
    assert not inside[BAND_EDGES_HZ[:-1] > high * 2 ** (1 / 6) * 1.01][:-1].any()
    assert within(0, 30000)[inside].all()
