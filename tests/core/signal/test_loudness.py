"""Loudness against the coefficients and test signals of ITU-R BS.1770 and EBU Tech 3341, and against
pyloudnorm.
"""

from __future__ import annotations

import numpy as np
import pyloudnorm
import pytest
from numpy.typing import NDArray

from nubrak.core.signal.loudness import SILENT_LKFS, k_weighting, loudness_lkfs

# ITU-R BS.1770, tables 1 and 2: the filters at 48 kHz (from memory).
AT_48_KHZ = [
    [1.53512485958697, -2.69169618940638, 1.19839281085285, 1.0, -1.69065929318241, 0.73248077421585],
    [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621],
]


def sine(
    level_dbfs: float, seconds: float, rate: int = 48000, hz: float = 1000.0, channels: int = 2
) -> NDArray[np.float64]:
    t = np.arange(round(seconds * rate)) / rate
    return np.repeat((10 ** (level_dbfs / 20) * np.sin(2 * np.pi * hz * t))[:, None], channels, axis=1)


def test_the_filters_are_the_standards() -> None:
    assert np.allclose(k_weighting(48000), AT_48_KHZ, atol=2e-4)


@pytest.mark.parametrize("rate", [44100, 48000, 96000])
def test_a_full_scale_sine_in_one_channel_reads_minus_three(rate: int) -> None:
    # BS.1770: a 0 dBFS sine of 997 Hz in one channel reads -3.01 LKFS.
    assert loudness_lkfs([sine(0.0, 5.0, rate, 997.0, 1)], rate) == pytest.approx(-3.01, abs=0.03)


@pytest.mark.parametrize(
    ("parts", "wanted"),
    [
        (
            [(-23.0, 20.0)],
            -23.0,
        ),  # EBU Tech 3341 (from memory), minimum requirements 1, 2, 3 and 4: stereo sines of 1 kHz
        ([(-33.0, 20.0)], -33.0),
        ([(-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0)], -23.0),
        ([(-72.0, 10.0), (-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0), (-72.0, 10.0)], -23.0),
        ([(-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0)], -23.0),
    ],
)
def test_the_broadcasters_signals_read_what_they_must(
    parts: list[tuple[float, float]], wanted: float
) -> None:
    signal = np.concatenate([sine(level, seconds) for level, seconds in parts])
    assert loudness_lkfs([signal], 48000) == pytest.approx(wanted, abs=0.1)


@pytest.mark.parametrize("seed", range(4))
def test_drums_read_as_pyloudnorm_reads_them_however_they_are_cut(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rate = 44100
    signal = rng.standard_normal((rate * 8, 2)) * 1e-3
    for _ in range(20):
        begin = int(rng.integers(0, rate * 7))
        signal[begin : begin + rate // 2] += (
            rng.uniform(0.05, 0.6)
            * rng.standard_normal((rate // 2, 2))
            * np.exp(-np.arange(rate // 2) / 4000)[:, None]
        )
    whole = loudness_lkfs([signal], rate)
    assert whole == pytest.approx(pyloudnorm.Meter(rate).integrated_loudness(signal), abs=0.1)
    cuts = np.sort(rng.integers(0, len(signal), 9))
    assert loudness_lkfs(np.split(signal, cuts), rate) == pytest.approx(whole, abs=1e-9)


def test_silence_and_next_to_nothing() -> None:
    assert loudness_lkfs([np.zeros((48000, 2))], 48000) == SILENT_LKFS
    assert loudness_lkfs([], 48000) == SILENT_LKFS
    assert loudness_lkfs([sine(-20.0, 0.1)], 48000) == pytest.approx(-20.0, abs=1.0)
