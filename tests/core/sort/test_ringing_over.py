"""One sound that explains many strokes which ring into each other."""

from __future__ import annotations

import numpy as np

from nubrak.core.sort.ringing_over import fit_one_sound, is_noise, left_of
from tests.conftest import RATE_HZ


def test_one_sound_is_found_again_with_its_places_and_levels() -> None:
    rng = np.random.default_rng(4)
    length = round(0.6 * RATE_HZ)
    t = np.arange(length) / RATE_HZ
    sound = np.exp(-t / 0.2) * (np.sin(2 * np.pi * 140 * t) + 0.3 * rng.standard_normal(length))
    place = np.cumsum(rng.integers(4000, 14000, 30)) + 5000
    gain = rng.uniform(0.2, 1.0, 30)
    mono = 1e-4 * rng.standard_normal(int(place[-1]) + 2 * RATE_HZ)
    for at, level in zip(place.tolist(), gain.tolist(), strict=True):
        mono[at : at + length] += level * sound
    window = np.full(30, 3000)
    fit = fit_one_sound(mono, place + rng.uniform(-40, 40, 30), window, RATE_HZ)
    # All may lie a little earlier or later together, and be louder together: then the sound is so the less.
    assert np.ptp(fit.place - place) < 0.1
    assert np.ptp(np.log(fit.gain / gain)) < 0.02
    assert np.all(left_of(mono, fit, window) < 1e-3)


def test_noise_is_told_from_a_tone() -> None:
    rng = np.random.default_rng(1)
    t = np.arange(6000) / RATE_HZ
    assert is_noise(rng.standard_normal(6000) * np.exp(-t / 0.05), 5000)
    assert not is_noise(np.sin(2 * np.pi * 90 * t) * np.exp(-t / 0.05), 5000)
