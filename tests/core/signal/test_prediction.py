"""Linear prediction against least squares, and the transform of a few low columns against the whole one."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.linalg import lstsq
from scipy.signal import lfilter

from nubrak.core.find.band_envelope import attack_taper, into_bands, low_bands, low_powers_in, powers_in
from nubrak.core.find.bands import BAND_EDGES_HZ
from nubrak.core.signal.prediction import ORDER, prediction_error_filter, prediction_residual


@given(st.integers(0, 10_000), st.integers(ORDER + 1, 300))
def test_the_filter_is_the_least_squares_one(seed: int, learn: int) -> None:
    """Against SciPy's own least squares over the same samples."""
    past = np.random.default_rng(seed).standard_normal((3, ORDER + learn))
    taps = prediction_error_filter(past, 0.0)
    for row, own in zip(past, taps, strict=True):
        before = np.stack([row[ORDER - lag : len(row) - lag] for lag in range(1, ORDER + 1)], axis=1)
        weights = lstsq(before, row[ORDER:])[0]
        assert own[0] == 1.0
        assert np.allclose(own[1:], -weights, atol=1e-6 * max(1.0, np.abs(weights).max()))


def test_what_is_unexplained_is_each_row_through_its_own_filter() -> None:
    rng = np.random.default_rng(4)
    rows, taps = rng.standard_normal((5, 200)), rng.standard_normal((5, ORDER + 1))
    taps[:, 0] = 1.0
    assert np.allclose(
        prediction_residual(rows, taps),
        [lfilter(tap, [1.0], row)[ORDER:] for row, tap in zip(rows, taps, strict=True)],
    )


def test_ringing_is_explained_and_a_new_stroke_is_not() -> None:
    t = np.arange(1200) / 44100
    ringing = np.cos(2 * np.pi * 190 * t) * np.exp(-t / 0.06) + 0.4 * np.cos(
        2 * np.pi * 333 * t + 1
    ) * np.exp(-t / 0.1)
    struck = ringing.copy()
    struck[900:] += 0.1 * np.random.default_rng(1).standard_normal(300)
    error = np.abs(
        prediction_residual(struck[None], prediction_error_filter(struck[None, : ORDER + 800], 1e-9))[0]
    )
    assert error[: 900 - ORDER].max() < 1e-3 < 0.01 < error[900 - ORDER : 910 - ORDER].max()


@given(st.integers(0, 10_000), st.floats(-8, 0))
def test_energy_under_the_ridge_is_not_modelled(seed: int, level: float) -> None:
    past = 10.0**level * np.random.default_rng(seed).standard_normal((1, ORDER + 200))
    taps = prediction_error_filter(past, 1e8 * float((past**2).sum()))
    assert np.abs(taps[0, 1:]).max() < 1e-6


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
def test_low_bands_alone_read_as_they_do_among_all(rate_hz: int) -> None:
    size = 2 * round(0.0232 * rate_hz)
    taper = attack_taper(size, round(0.001 * rate_hz))
    low_edges_hz = BAND_EDGES_HZ[BAND_EDGES_HZ <= 250.0]
    windows = np.random.default_rng(2).standard_normal((40, size)).astype(np.float32)
    whole = powers_in(windows * taper, into_bands(taper, rate_hz, BAND_EDGES_HZ))[:, : len(low_edges_hz) - 1]
    assert np.allclose(
        low_powers_in(windows, low_bands(taper, rate_hz, low_edges_hz)), whole, rtol=1e-3, atol=1e-9
    )
