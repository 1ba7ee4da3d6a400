"""Rooms against their definitions: decay by backward integration (ISO 3382-1), loudness, order of events."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import butter, sosfiltfilt

from nubrak.core.mix.room import Room, decay_s, impulse_response, in_room
from tests.core.mix.made import stretch_of

RATE_HZ = 48000
SIZES = ["closet", "chamber", "live room", "hall"]


def t30_s(response: np.ndarray, low_hz: float, high_hz: float) -> float:
    """The reverberation time from the decay between 5 and 35 dB down, by ISO 3382-1: the backward integral
    of the squared response (Schroeder) and a straight line through it.
    """
    band = sosfiltfilt(butter(4, [low_hz, high_hz], "bandpass", fs=RATE_HZ, output="sos"), response)
    left = np.cumsum((band**2)[::-1])[::-1]
    level = 10 * np.log10(left / left[0])
    part = (level <= -5) & (level >= -35)
    slope, _ = np.polyfit(np.nonzero(part)[0] / RATE_HZ, level[part], 1)
    return float(-60 / slope)


@pytest.mark.parametrize("size", SIZES)
def test_it_decays_in_the_time_it_says(size: str) -> None:
    room = Room.model_validate({"size": size})
    for row in impulse_response(room, RATE_HZ).reshape(4, -1):
        assert t30_s(row, 355, 1410) == pytest.approx(decay_s(room), rel=0.12)


@pytest.mark.parametrize("decay_ms", [300, 1200, 2500])
def test_a_decay_that_is_asked_for_is_kept_and_soft_walls_take_the_highs(decay_ms: float) -> None:
    soft, hard = (
        impulse_response(Room(decay_ms=decay_ms, walls=walls), RATE_HZ)[0, 0] for walls in ("soft", "hard")
    )
    for row in (soft, hard):
        assert t30_s(row, 355, 1410) == pytest.approx(decay_ms / 1000, rel=0.12)
    assert t30_s(soft, 5600, 11300) < 0.7 * t30_s(hard, 5600, 11300)


@pytest.mark.parametrize("size", SIZES)
def test_what_stands_in_the_middle_comes_back_as_loud_and_on_both_sides(size: str) -> None:
    noise = np.random.default_rng(2).standard_normal((6 * RATE_HZ, 1)).astype(np.float32).repeat(2, axis=1)

    plain = stretch_of(noise)

    wet = in_room(Room.model_validate({"size": size}), plain, RATE_HZ, 3 * RATE_HZ, 2 * RATE_HZ)
    level = 10 * np.log10(np.mean(wet**2, axis=0))
    assert np.abs(level).max() < 1.5
    # The sides have little to do with each other: that is what makes it wide.
    assert abs(np.corrcoef(wet.T)[0, 1]) < 0.5


def test_nothing_comes_before_the_sound_and_later_is_later() -> None:
    response = impulse_response(Room(), RATE_HZ)
    later = impulse_response(Room(later_ms=40), RATE_HZ)
    shift = round(0.04 * RATE_HZ)
    assert not later[:, :, :shift].any() and np.array_equal(later[:, :, shift:], response)
    # First reflections come after the direct sound, one by one, before the tail is dense.
    early = np.abs(response[0, 0, : round(0.02 * RATE_HZ)])
    assert early[0] == 0 and early.max() > 0.1 * np.abs(response).max()


def test_it_is_the_plain_convolution_and_windows_join() -> None:
    rng = np.random.default_rng(4)
    sound = (rng.standard_normal((150_000, 2)) * 0.1).astype(np.float32)
    room = Room(size="closet")

    plain = stretch_of(sound)

    whole = in_room(room, plain, RATE_HZ, 0, 150_000)
    parts = [in_room(room, plain, RATE_HZ, a, b - a) for a, b in ((0, 9), (9, 65_540), (65_540, 150_000))]
    assert np.array_equal(np.concatenate(parts), whole)
    response = impulse_response(room, RATE_HZ).astype(np.float64)
    for ear in (0, 1):
        expected = sum(np.convolve(sound[:4000, side], response[side, ear])[:4000] for side in (0, 1))
        assert np.allclose(whole[:4000, ear], expected, atol=1e-5)
    assert not in_room(room, lambda _, n: np.zeros((n, 2), np.float32), RATE_HZ, 0, 1000).any()
