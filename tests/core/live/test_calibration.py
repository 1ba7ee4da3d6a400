"""Which strokes of which drum a calibration holds, whatever the order."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.live import HOP_S, band_levels, hops_at, strokes_played
from tests.core.live.made import CALIBRATION, RATE_HZ, WITHIN, two_microphones


def played_s(audio: np.ndarray, asked: np.ndarray | None = None) -> list[np.ndarray]:
    levels = band_levels(audio, RATE_HZ)
    return [
        31 / RATE_HZ * at
        for at in strokes_played(levels, WITHIN, None if asked is None else hops_at(asked, RATE_HZ))
    ]


@pytest.mark.parametrize("turned", [False, True])
def test_strokes_go_to_their_drum(turned: bool) -> None:
    first, second = CALIBRATION
    kick, snare = ((second[0], first[1]), (first[0], second[1])) if turned else CALIBRATION
    found = played_s(two_microphones(kick, snare, 5.5))
    for heard, (struck, _) in zip(found, (kick, snare), strict=True):
        assert np.allclose(heard, struck, atol=0.004), "no stroke of its own is missed, and no spill is taken"


def test_what_was_asked_for_tells_two_drums_that_sound_alike() -> None:
    audio = two_microphones(*CALIBRATION, 5.5)
    alike = np.stack([audio[:, 0], audio[:, 0]], axis=1)
    asked = np.array([[0.2, 2.4], [2.6, 4.9]])
    kick, _ = played_s(alike, asked)
    assert all(one < 2.9 for one in kick)


@pytest.mark.parametrize("length_s", [0.0, 0.01, 2.0])
def test_silence_holds_nothing(length_s: float) -> None:
    audio = np.zeros((round(length_s * RATE_HZ), 2), np.float32)
    assert all(len(one) == 0 for one in played_s(audio))


def test_noise_of_any_kind_does_not_break_it() -> None:
    rng = np.random.default_rng(1)
    audio = rng.standard_normal((RATE_HZ, 2)).astype(np.float32)
    for found in played_s(audio):
        assert np.all((found >= 0) & (found < 1.0 + HOP_S))
