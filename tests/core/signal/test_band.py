"""The recording as the detector hears it: what is in the band passes where it was, the rest is gone."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.signal.band import REACH, in_band

RATE_HZ = 48000


def through(hz: float, low_hz: float, high_hz: float) -> tuple[np.ndarray, np.ndarray]:
    sound = np.sin(2 * np.pi * hz * np.arange(RATE_HZ) / RATE_HZ).astype(np.float32)[:, None]
    return sound[REACH:-REACH], in_band(sound, low_hz, high_hz, RATE_HZ)


@pytest.mark.parametrize("hz", [400, 1000, 3000])
def test_inside_it_stays_sample_on_sample(hz: float) -> None:
    was, heard = through(hz, 200, 6000)
    assert heard.shape == was.shape and np.abs(heard - was).max() < 0.01


@pytest.mark.parametrize(("hz", "low", "high"), [(60, 200, 6000), (12000, 200, 6000), (1000, 3000, 6000)])
def test_outside_it_is_gone(hz: float, low: float, high: float) -> None:
    _, heard = through(hz, low, high)
    assert np.abs(heard).max() < 0.01


@pytest.mark.parametrize("edge", [200, 6000])
def test_the_edge_is_six_decibels_down(edge: float) -> None:
    was, heard = through(edge, 200, 6000)
    down_db = 20 * np.log10(np.sqrt(np.mean(heard**2) / np.mean(was**2)))
    assert down_db == pytest.approx(-6.02, abs=0.1)


def test_a_band_beyond_what_the_rate_holds_is_as_wide_as_it_can_be() -> None:
    sound = np.zeros((2 * REACH + 10, 2), np.float32)
    assert in_band(sound, 10, 40000, 8000).shape == (10, 2)
