"""The bands that a trigger hears, against scipy's responses."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import freqz, sosfreqz

from nubrak.core.live import band_levels
from nubrak.core.live.bands import BANDS, EDGES_HZ, SECTIONS, hop_samples, hops_at, inside, sections


@pytest.mark.parametrize("rate_hz", [22050, 44100, 48000, 96000, 192000])
def test_each_band_passes_its_middle_and_not_what_is_far(rate_hz: int) -> None:
    edges = (20.0, *EDGES_HZ, 20000.0)
    for band in range(BANDS):
        parts = sections(rate_hz)[band]
        low, high = edges[band], min(edges[band + 1], 0.45 * rate_hz)
        if low >= high:
            continue
        sos = np.stack([[b0, b1, b2, 1.0, a1, a2] for b0, b1, b2, a1, a2 in parts])
        middle = np.sqrt(low * high)
        asked = np.array([middle, low / 4, min(high * 4, 0.49 * rate_hz)])
        _, response = sosfreqz(sos, worN=asked, fs=rate_hz)
        level_db = 20 * np.log10(np.abs(response) + 1e-9)
        assert level_db[0] == pytest.approx(0.0, abs=1.0)
        assert level_db[1] < -15.0
        if high * 4 < 0.49 * rate_hz:
            assert level_db[2] < -15.0
        for b0, b1, b2, a1, a2 in parts:
            _, one = freqz([b0, b1, b2], [1.0, a1, a2], worN=64)
            assert np.isfinite(one).all()
            assert np.all(np.abs(np.roots([1.0, a1, a2])) < 1.0), "it rings out"
    assert sections(rate_hz).shape == (BANDS, SECTIONS, 5)


def test_what_a_part_listens_to_is_told_by_octaves() -> None:
    assert np.allclose(inside(20.0, 20000.0), 1.0)
    assert np.allclose(inside(90.0, 250.0), [0, 1, 0, 0, 0, 0])
    half = inside(90.0, float(np.sqrt(90.0 * 250.0)))
    assert half[1] == pytest.approx(0.5)
    assert inside(100.0, 100.0).any(), "however narrow, something is heard"


@pytest.mark.parametrize(("rate_hz", "samples"), [(44100, 31), (48000, 34), (192000, 134), (8000, 6)])
def test_a_hop_is_as_long_at_every_rate(rate_hz: int, samples: int) -> None:
    assert hop_samples(rate_hz) == samples


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
def test_a_moment_is_in_the_hop_in_which_its_level_is_told(rate_hz: int) -> None:
    at_s = np.array([0.5, 17.3, 29.9])
    audio = np.zeros((30 * rate_hz, 1), np.float32)
    audio[np.round(at_s * rate_hz).astype(int)] = 1.0
    whole = band_levels(audio, rate_hz).sum(axis=(1, 2))
    for moment, hop in zip(at_s, hops_at(at_s, rate_hz), strict=True):
        near = whole[hop - 40 : hop + 40]
        first = hop - 40 + int(np.nonzero(near > 1e-3 * near.max())[0][0])
        assert abs(first - hop) <= 1, f"at {moment} s"
