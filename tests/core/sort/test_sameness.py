"""Programmed drums null, played ones do not."""

from __future__ import annotations

import numpy as np

from nubrak.core.sort.sameness import same_sounds
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
