"""What is drawn of stages, against what they do."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.mix.chain import Played, Stage, through
from nubrak.core.mix.dynamics import DynamicsStage
from nubrak.core.mix.equaliser import CutsStage, EqBand, EqualiserStage
from nubrak.core.mix.seen import LOWEST_DB, curve_db, drawn_hz, spectrum_db, turned_down_db

RATE_HZ = 48000
NONE = np.zeros(0, np.int64)


def test_a_spectrum_says_the_level_of_a_sine_and_is_flat_over_pink_noise() -> None:
    t = np.arange(4 * RATE_HZ) / RATE_HZ
    sine = (0.5 * np.sin(2 * np.pi * 1000 * t))[:, None].astype(np.float32)
    hz = drawn_hz()
    found = spectrum_db(sine, RATE_HZ, hz)
    assert hz[np.argmax(found)] == pytest.approx(1000, rel=0.13)
    # Equal power in every octave (the definition of pink): equally high everywhere.
    spectrum = np.fft.rfft(np.random.default_rng(1).standard_normal(1 << 20))
    spectrum[1:] /= np.sqrt(np.arange(1, len(spectrum)))
    pink = np.fft.irfft(spectrum)[:, None]
    level = spectrum_db((0.1 * pink / pink.std()).astype(np.float32), RATE_HZ, hz[(hz > 60) & (hz < 15000)])
    assert np.std(level) < 0.7
    assert np.all(spectrum_db(np.zeros((100, 2), np.float32), RATE_HZ, hz) == LOWEST_DB)


def test_the_curve_is_the_difference_of_the_spectra() -> None:
    chain: list[Stage] = [
        CutsStage(low_cut_hz=80, low_cut_slope=12),
        EqualiserStage(bands=[EqBand(at_hz=3000, by_db=8)]),
        EqualiserStage(on=False, bands=[EqBand(at_hz=3000, by_db=8)]),
    ]
    noise = (0.1 * np.random.default_rng(2).standard_normal((1 << 18, 2))).astype(np.float32)

    def plain(start: int, frames: int) -> np.ndarray:
        out = np.zeros((frames, 2), np.float32)
        low, high = max(start, 0), min(start + frames, len(noise))
        out[low - start : high - start] = noise[low:high]
        return out

    after = through(chain, plain, Played(RATE_HZ, NONE), 0, len(noise))
    hz = drawn_hz()[60:220]
    moved = spectrum_db(after, RATE_HZ, hz) - spectrum_db(noise, RATE_HZ, hz)
    assert np.abs(moved - curve_db(chain, hz, RATE_HZ)).max() < 0.7


def test_what_dynamics_takes_is_what_its_curve_says_of_a_level_that_stays() -> None:
    stage = DynamicsStage(threshold_db=-30, ratio=4, attack_ms=5, release_ms=50)
    loud = np.full((2 * RATE_HZ, 2), 10 ** (-10 / 20), np.float32)
    chain: list[Stage] = [EqualiserStage(), stage]
    found = turned_down_db(chain, 1, lambda a, n: loud[:n], Played(RATE_HZ, NONE), RATE_HZ, RATE_HZ // 2, 40)
    assert found.shape == (40,)
    assert np.allclose(found, 20 * (1 - 1 / 4), atol=0.01)
    assert not turned_down_db(chain, 0, lambda a, n: loud[:n], Played(RATE_HZ, NONE), 0, 1000, 5).any()
