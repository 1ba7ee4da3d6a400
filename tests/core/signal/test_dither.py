"""Dither: an error that does not follow the signal."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.signal.dither import dithered


@pytest.mark.parametrize("bits", [16, 24])
@pytest.mark.parametrize("level", [0.0, 0.25, 0.5, 0.8])
def test_the_error_of_dither_does_not_depend_on_the_signal(bits: int, level: float) -> None:
    # Lipshitz et al.: with triangular dither of two steps the total error has no mean and a power of a
    # quarter of a step squared.
    steps = 1 << (bits - 1)
    audio = np.full((200_000, 1), (1000 + level) / steps)
    error = (dithered(audio.astype(np.float64), bits) >> (32 - bits))[:, 0] - (1000 + level)
    assert error.mean() == pytest.approx(0.0, abs=0.01) and error.var() == pytest.approx(0.25, rel=0.03)


def test_a_soft_tone_survives_sixteen_bits_without_harmonics() -> None:
    rate, count = 48000, 1 << 17
    hz = 1001 * rate / count
    # Under half a step: plain rounding would leave nothing.
    tone = 0.4 / 32768 * np.sin(2 * np.pi * hz * np.arange(count) / rate)
    made = (dithered(tone[:, None].astype(np.float32), 16) >> 16)[:, 0] / 32768
    spectrum = np.abs(np.fft.rfft(made)) * 2 / count
    assert spectrum[1001] == pytest.approx(0.4 / 32768, rel=0.05)
    floor = np.median(spectrum)
    assert all(spectrum[1001 * n] < 6 * floor for n in (2, 3, 4, 5))


def test_dither_is_the_same_however_the_file_is_cut_and_full_scale_is_kept() -> None:
    audio = np.random.default_rng(1).uniform(-1.2, 1.2, (150_000, 2)).astype(np.float32)
    whole = dithered(audio, 16)
    parts = [dithered(audio[a:b], 16, start=a) for a, b in ((0, 777), (777, 70_000), (70_000, 150_000))]
    assert np.array_equal(np.concatenate(parts), whole)
    assert (whole >> 16).max() == 32767 and (whole >> 16).min() == -32768
