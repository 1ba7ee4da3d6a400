"""What a moment sounds like: known spectra, and what must not change it."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import resample_poly

from nubrak.core.sort.moment_spectra import FLOOR_DB, LONG_EDGES_HZ, moment_spectra
from tests.core.sort.made import RATE_HZ, beat, mixture

TIMES_S = np.arange(8) * 0.25


def test_a_sine_stands_in_its_own_band() -> None:
    t = np.arange(RATE_HZ) / RATE_HZ
    tone = (0.5 * np.sin(2 * np.pi * 1000 * t)).astype(np.float32)
    found = moment_spectra(tone, np.array([0.3]), RATE_HZ)
    band = int(found.long[0, 3].argmax())
    assert LONG_EDGES_HZ[band] < 1000 < LONG_EDGES_HZ[band + 1]
    assert found.long[0, 3, band] - np.median(found.long[0, 3]) > 50


def test_gain_changes_nothing() -> None:
    loop = mixture(beat(1), 2.0)
    once, soft = (moment_spectra(gain * loop, TIMES_S, RATE_HZ) for gain in (1.0, 0.05))
    for name in ("long", "short", "low"):
        assert np.allclose(getattr(once, name), getattr(soft, name), atol=0.05)


def test_silence_before_a_loop_changes_nothing_but_what_rang_before() -> None:
    loop = mixture([*beat(1)], 2.0)
    shifted = np.concatenate([np.zeros(RATE_HZ, np.float32), loop])
    here, there = moment_spectra(loop, TIMES_S, RATE_HZ), moment_spectra(shifted, TIMES_S + 1.0, RATE_HZ)
    assert np.allclose(here.long[1:, 2:], there.long[1:, 2:], atol=0.05)


def test_what_rang_before_the_beginning_of_a_loop_is_its_end() -> None:
    loop = mixture([(0.0, "kick", 0.9), (1.93, "crash", 0.9)], 2.0)
    before = moment_spectra(loop, np.array([0.0]), RATE_HZ).long[0, 0]
    assert before[-12:].max() > FLOOR_DB + 20


@pytest.mark.parametrize("rate_hz", [48000, 22050])
def test_the_rate_of_a_file_hardly_matters(rate_hz: int) -> None:
    loop = mixture(beat(1), 2.0)
    other = resample_poly(loop, rate_hz // 150, RATE_HZ // 150).astype(np.float32)
    here, there = moment_spectra(loop, TIMES_S, RATE_HZ), moment_spectra(other, TIMES_S, rate_hz)
    heard = LONG_EDGES_HZ[1:] < 0.4 * rate_hz
    assert np.median(np.abs(here.long[:, 3:6, heard] - there.long[:, 3:6, heard])) < 1.0


def test_nothing_and_silence_are_no_error() -> None:
    assert len(moment_spectra(np.zeros(100, np.float32), np.zeros(0), RATE_HZ)) == 0
    assert np.all(moment_spectra(np.zeros(4410, np.float32), np.array([0.01]), RATE_HZ).long == FLOOR_DB)
