"""What is learnt of a kit, against how it was made."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.live import band_levels, from_bytes, learn, to_bytes, unheard
from tests.core.live.made import RATE_HZ, SPILL, WITHIN, calibrated, two_microphones


def test_spill_is_learnt_as_it_was_made() -> None:
    learnt = calibrated()
    for other, own in ((0, 1), (1, 0)):
        strong = np.argmax(learnt.heard[own, own])
        ratio_db = 10 * np.log10(learnt.heard[other, own, strong] / learnt.heard[own, own, strong])
        assert ratio_db == pytest.approx(20 * np.log10(SPILL), abs=1.0)


def test_softest_and_usual_are_those_that_were_played() -> None:
    learnt = calibrated()
    assert learnt.strokes.tolist() == [4, 4]
    assert np.allclose(learnt.softest_db, 20 * np.log10(0.2 / 0.8), atol=1.5)


def test_how_strokes_begin_is_kept_from_soft_to_hard() -> None:
    learnt = calibrated()
    size = np.abs(learnt.own).max(axis=2)
    # The two hard ones were struck alike, with noise of their own.
    assert np.all(np.diff(size, axis=1) > -0.1 * size[:, :-1])
    assert np.all(size[:, 0] < 0.4 * size[:, -1])
    assert learnt.spilt[0, 1].any() and not learnt.spilt[0, 0].any()


def test_what_rings_falls_as_the_drum_does() -> None:
    rings_db = 10 * np.log10(calibrated().rings)
    # Strokes decay with a time constant of 60 ms on the amplitude: 0.145 dB a millisecond.
    step_ms = 1000 * 8 * 31 / RATE_HZ
    slope = (rings_db[:, 24] - rings_db[:, 8]) / (16 * step_ms)
    assert np.allclose(slope, -20 * np.log10(np.e) / 60, atol=0.03)


def test_a_drum_that_was_not_played_is_assumed() -> None:
    audio = two_microphones(([0.5], [0.5]), ([], []), 1.5)
    levels = band_levels(audio, RATE_HZ)
    none = np.zeros(0, np.int64)
    learnt = learn(audio, RATE_HZ, levels, WITHIN, [none, none])
    assert learnt.strokes.tolist() == [0, 0]
    assert np.isfinite(learnt.heard).all() and np.all(learnt.heard > 0)
    nothing = unheard(3)
    assert nothing.heard.shape[:2] == (3, 3)


def test_what_was_learnt_is_kept_to_the_bit_and_refused_where_it_does_not_fit() -> None:
    learnt = calibrated()
    again = from_bytes(to_bytes(learnt), 2)
    assert again is not None
    for name in ("heard", "softest_db", "floor", "own", "spilt", "rings", "level_offset_db", "strokes"):
        assert np.array_equal(getattr(again, name), getattr(learnt, name))
    assert from_bytes(to_bytes(learnt), 3) is None
