"""Programmed drums null, played ones do not."""

from __future__ import annotations

import re

import numpy as np
import pytest

from nubrak.core.sort.sameness import Sameness, same_sounds, what_is_same
from tests.conftest import RATE_HZ


def test_programmed_drums_null_and_played_ones_do_not() -> None:
    rng = np.random.default_rng(6)
    t = np.arange(round(0.25 * RATE_HZ)) / RATE_HZ
    sounds = [
        np.exp(-t / 0.03) * (rng.standard_normal(len(t)) * np.exp(-t / 0.01) + np.sin(2 * np.pi * hz * t))
        for hz in (180.0, 205.0)
    ]
    times = np.arange(16) * 0.3 + 0.2
    out = rng.standard_normal(round(5.5 * RATE_HZ)) * 1e-5
    which = rng.integers(0, 2, 16)
    for at, sound, velocity in zip(times, which, rng.uniform(0.2, 0.8, 16), strict=True):
        # At ticks, which rarely fall on samples: shifted by a part of one.
        begin = at * RATE_HZ
        spectrum = np.fft.rfft(sounds[sound], 2 * len(t)) * np.exp(
            -2j * np.pi * np.arange(len(t) + 1) / (2 * len(t)) * (begin % 1)
        )
        piece = np.fft.irfft(spectrum)[: len(t)]
        out[int(begin) : int(begin) + len(t)] += velocity * piece
    found = same_sounds(out.astype(np.float32), times, RATE_HZ)
    assert found.programmed and np.all(found.group >= 0)
    assert len(set(zip(which.tolist(), found.group.tolist(), strict=True))) == 2
    assert np.median(found.residual_db[found.residual_db > -119]) < -40
    played = np.concatenate(
        [
            np.random.default_rng(n).standard_normal(round(0.3 * RATE_HZ))
            * np.exp(-np.arange(round(0.3 * RATE_HZ)) / RATE_HZ / 0.03)
            for n in range(12)
        ]
    )
    alive = same_sounds(played.astype(np.float32), np.arange(12) * 0.3, RATE_HZ)
    assert not alive.programmed and np.all(alive.group < 0)
    assert not same_sounds(out.astype(np.float32), times[:1], RATE_HZ).programmed


def test_the_same_sound_is_found_wherever_it_lies_and_however_hard_it_is_among_played_ones() -> None:
    rng = np.random.default_rng(11)
    t = np.arange(round(0.2 * RATE_HZ)) / RATE_HZ

    def stroke(hz: float) -> np.ndarray:
        return np.exp(-t / 0.05) * (np.sin(2 * np.pi * hz * t) + 0.4 * rng.standard_normal(len(t)))

    copied = stroke(90.0)
    times = np.arange(24) * 0.25 + 0.1
    copies = set(range(0, 24, 3))
    out = np.zeros(round(6.5 * RATE_HZ))
    for number, at in enumerate(times.tolist()):
        sound = copied if number in copies else stroke(rng.uniform(80.0, 100.0))
        begin = round(at * RATE_HZ)
        out[begin : begin + len(t)] += rng.uniform(0.1, 0.9) * sound
    # Each is found a little beside its attack, as a detector may.
    found = same_sounds(out.astype(np.float32), times + rng.uniform(-0.0015, 0.0015, 24), RATE_HZ)
    assert set(np.nonzero(found.group >= 0)[0].tolist()) == copies


def test_copies_that_ring_into_each_other_null_at_any_level_and_played_strokes_do_not() -> None:
    rng = np.random.default_rng(17)
    t = np.arange(round(0.7 * RATE_HZ)) / RATE_HZ

    def stroke(hz: float) -> np.ndarray:
        stick = rng.standard_normal(len(t)) * np.exp(-t / 0.004)
        return np.sin(2 * np.pi * hz * t) * np.exp(-t / 0.3) + 0.4 * stick

    # Sixteenths at 120 and longer: the tone is 4 dB down when the next stroke comes.
    times = 0.2 + np.cumsum(0.125 * rng.choice([1, 1, 2, 3], 40))
    one, played, copied = stroke(110.0), *np.zeros((2, round((times[-1] + 1.0) * RATE_HZ)))
    for at, gain in zip(np.round(times * RATE_HZ).astype(int).tolist(), rng.uniform(0.2, 1, 40), strict=True):
        copied[at : at + len(t)] += gain * one
        played[at : at + len(t)] += gain * stroke(110.0 * rng.uniform(0.99, 1.01))
    beside = times + rng.uniform(-0.001, 0.001, 40)
    found = same_sounds(copied.astype(np.float32), beside, RATE_HZ)
    assert found.copies == 40 and found.groups == 1 and found.residual_db.max() < -30
    assert same_sounds(played.astype(np.float32), beside, RATE_HZ).copies == 0


@pytest.mark.parametrize(
    ("copies", "flat", "said"),
    [
        (True, True, "copies of 1 sound: .* Nearly all lie within .* programmed"),
        (True, False, "copies of 1 sound: .* Their levels differ by"),
        (False, True, "sound of its own, but nearly all lie within .* made even"),
        (False, False, "sound of its own, as a player's are"),
    ],
)
def test_what_is_copied_and_whether_levels_differ_are_two_things(copies: bool, flat: bool, said: str) -> None:
    group = np.zeros(20, np.int64) if copies else np.full(20, -1)
    told = Sameness(group, np.full(20, -45.0 if copies else 0.0))
    levels_db = np.linspace(-12.0, -12.4 if flat else -26.0, 20)
    assert re.search(said, what_is_same(told, levels_db))
