"""What a recording is like, in numbers that its level does not change."""

from __future__ import annotations

import numpy as np

from nubrak.core.find import find_candidates
from nubrak.core.gather.character import CHARACTER, character
from tests.conftest import RATE_HZ, decaying_strokes


def told(audio: np.ndarray, rate_hz: int = RATE_HZ) -> dict[str, float]:
    shown = character(audio, rate_hz, find_candidates(audio, rate_hz))
    assert shown is not None and np.all(np.isfinite(shown))
    return dict(zip(CHARACTER, shown.tolist(), strict=True))


STRUCK = [0.2 + 0.5 * k for k in range(8)], [0.5, 0.4, 0.6, 0.5] * 2


def test_names_are_each_their_own() -> None:
    assert len(set(CHARACTER)) == len(CHARACTER)


def test_it_does_not_depend_on_the_gain() -> None:
    audio = decaying_strokes(*STRUCK, 4.5, hz=60)
    one, other = told(audio), told((0.1 * audio).astype(np.float32))
    assert max(abs(one[name] - other[name]) for name in CHARACTER) < 0.2


def test_timing_tells_a_machine_from_a_hand() -> None:
    rng = np.random.default_rng(1)
    by_hand = (np.array(STRUCK[0]) + rng.normal(0, 0.03, 8)).tolist()
    even, human = (told(decaying_strokes(at, STRUCK[1], 4.5, hz=200)) for at in (STRUCK[0], by_hand))
    assert even["gap_same_share"] > 0.9 > human["gap_same_share"]
    assert even["gap_spread"] < 0.01 < human["gap_spread"]
    assert abs(even["strokes_per_s"] - np.log2(8 / 4.5)) < 0.01


def test_low_and_high_are_told_apart() -> None:
    low, high = (told(decaying_strokes(*STRUCK, 4.5, hz=hz)) for hz in (60, 4000))
    assert low["centroid_attack_octaves"] + 2 < high["centroid_attack_octaves"]
    assert low["attack_0_db"] > high["attack_0_db"] + 10 and low["all_0_db"] > high["all_0_db"] + 10


def test_noise_is_flat_and_a_tone_is_not() -> None:
    rng = np.random.default_rng(2)
    t = np.arange(round(4.5 * RATE_HZ)) / RATE_HZ
    envelope = sum(np.where(t >= at, np.exp(-np.maximum(t - at, 0) / 0.08), 0.0) for at in STRUCK[0])
    noise, tone = (
        told((envelope * sound).astype(np.float32))
        for sound in (0.2 * rng.standard_normal(len(t)), 0.5 * np.sin(2 * np.pi * 800 * t))
    )
    # White noise: the mean of the log of an exponential spectrum is 2.5 dB under its mean.
    assert -4.0 < noise["flatness_body_db"] < -1.5
    assert tone["flatness_body_db"] < -20.0
    assert tone["tonal_db"] > noise["tonal_db"] + 10.0
    # 80 ms to one part in e are 8.7 dB in 80 ms.
    for name, after_s in (("after_50_ms_db", 0.05), ("after_200_ms_db", 0.2)):
        assert abs(tone[name] + 8.69 * after_s / 0.08) < 3.0


def test_hardly_anything_struck_tells_nothing() -> None:
    audio = decaying_strokes([0.3], [0.5], 1.0)
    assert character(audio, RATE_HZ, find_candidates(audio, RATE_HZ)) is None
