"""Bells, shelves and cuts against the published formulas and scipy's own filters."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import butter, iirpeak, sosfreqz

from nubrak.core.mix.equaliser import (
    CutsStage,
    EqBand,
    EqualiserStage,
    response_db,
    rings_samples,
    sections_of,
)

RATE_HZ = 48000
HZ = np.geomspace(20, 20000, 400)


def bands(*of: EqBand) -> np.ndarray:
    return sections_of(EqualiserStage(bands=list(of)), RATE_HZ)


def test_the_response_that_is_drawn_is_scipys() -> None:
    sections = bands(EqBand(at_hz=100, by_db=5), EqBand(shape="high shelf", at_hz=6000, by_db=-8))
    _, theirs = sosfreqz(sections, HZ, fs=RATE_HZ)
    assert np.allclose(response_db(sections, HZ, RATE_HZ), 20 * np.log10(np.abs(theirs)), atol=1e-9)


@pytest.mark.parametrize("by_db", [-18.0, -3.0, 6.0, 12.0])
@pytest.mark.parametrize("octaves", [0.3, 1.0, 2.5])
def test_a_bell_is_the_cookbooks(by_db: float, octaves: float) -> None:
    """Bristow-Johnson, Audio EQ Cookbook: the gain in the middle is the whole of it, and half of it in dB at
    both edges of the bandwidth (its definition of BW for a bell).
    """
    at_hz = 1000.0
    w = 2 * np.pi * at_hz / RATE_HZ
    # The cookbook's bandwidth is warped with the frequency; its edges lie at these bilinear frequencies.
    half = np.log(2) / 2 * octaves * w / np.sin(w)
    edges = [np.arctan(np.tan(w / 2) * np.exp(sign * half)) * RATE_HZ / np.pi for sign in (-1, 1)]
    found = response_db(
        bands(EqBand(at_hz=at_hz, by_db=by_db, octaves=octaves)), np.array([at_hz, *edges]), RATE_HZ
    )
    assert found[0] == pytest.approx(by_db, abs=1e-6)
    assert np.allclose(found[1:], by_db / 2, atol=0.02)


@pytest.mark.parametrize(("shape", "low", "high"), [("low shelf", 9.0, 0.0), ("high shelf", 0.0, 9.0)])
def test_a_shelf_is_half_where_it_stands(shape: str, low: float, high: float) -> None:
    found = response_db(
        sections_of(
            EqualiserStage.model_validate({"bands": [{"shape": shape, "at_hz": 800, "by_db": 9}]}), RATE_HZ
        ),
        np.array([20.0, 800.0, 20000.0]),
        RATE_HZ,
    )
    assert np.allclose(found, [low, 4.5, high], atol=0.05)
    # Slope 1 never bulges.
    all_of = response_db(
        sections_of(
            EqualiserStage.model_validate({"bands": [{"shape": shape, "at_hz": 800, "by_db": 9}]}), RATE_HZ
        ),
        HZ,
        RATE_HZ,
    )
    assert all_of.min() > -1e-6 and all_of.max() < 9 + 1e-6


def test_a_narrow_bell_over_nothing_is_scipys_peak() -> None:
    """Far over one, a bell is a resonator: scipy's ``iirpeak`` of the same bandwidth."""
    octaves, at_hz = 0.2, 1000.0
    q = 1 / (2 * np.sinh(np.log(2) / 2 * octaves))
    b, a = iirpeak(at_hz, q, fs=RATE_HZ)
    ours = bands(EqBand(at_hz=at_hz, by_db=24, octaves=octaves))[0]
    # Same zero at the poles' angle: both have their largest gain at the same place.
    near = np.linspace(900, 1100, 401)
    z = np.exp(-2j * np.pi * near / RATE_HZ)[:, None] ** np.arange(3)
    assert near[np.argmax(np.abs((z @ b) / (z @ a)))] == pytest.approx(
        near[np.argmax(response_db(ours[None], near, RATE_HZ))], abs=1
    )


@pytest.mark.parametrize("slope", [6, 12, 18, 24, 30, 36, 42, 48])
def test_cuts_are_butterworths_of_their_slope(slope: int) -> None:
    ours = sections_of(CutsStage.model_validate({"low_cut_hz": 200, "low_cut_slope": slope}), RATE_HZ)
    _, theirs = sosfreqz(butter(slope // 6, 200, "highpass", fs=RATE_HZ, output="sos"), HZ, fs=RATE_HZ)
    assert np.allclose(response_db(ours, HZ, RATE_HZ), 20 * np.log10(np.abs(theirs)), atol=1e-6)
    octave = response_db(ours, np.array([25.0, 50.0]), RATE_HZ)
    assert octave[1] - octave[0] == pytest.approx(slope, abs=0.2)


def test_what_does_nothing_has_no_sections_and_a_filter_says_how_long_it_rings() -> None:
    assert not len(bands(EqBand())) and not len(sections_of(CutsStage(), RATE_HZ))
    cuts = CutsStage(low_cut_hz=30)
    sections, reach = sections_of(cuts, RATE_HZ), rings_samples(cuts, RATE_HZ, 100.0)
    from scipy.signal import sosfilt

    answer = sosfilt(sections, np.eye(1, 3 * reach)[0])
    assert np.abs(answer[reach:]).max() < 3e-5 * np.abs(answer).max() < 1
