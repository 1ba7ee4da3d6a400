"""Ticks on the hits: at the sample, softer for softer hits, the same whatever window is asked for."""

from __future__ import annotations

import numpy as np

from nubrak.core.mix.trigger import render_triggers, tick
from nubrak.core.shape import Notes

RATE_HZ = 48000


def notes_at(time_s: list[float], velocity: list[int]) -> Notes:
    return Notes(np.array(time_s), np.array(velocity), 38, 10, 0.5)


def test_ticks_stand_at_the_sample_and_follow_the_strength() -> None:
    out = render_triggers(notes_at([0.1, 0.5], [127, 10]), RATE_HZ, False, 0, RATE_HZ)
    sounding = np.nonzero(out)[0]
    # the first sample of a sine is zero
    assert sounding[0] == round(0.1 * RATE_HZ) + 1
    loud, soft = (np.abs(out[round(at * RATE_HZ) :][:2000]).max() for at in (0.1, 0.5))
    assert loud > 2.5 * soft > 0


def test_windows_joined_equal_the_whole() -> None:
    notes = notes_at([0.0, 0.011, 0.02, 0.3], [100, 60, 127, 1])
    whole = render_triggers(notes, RATE_HZ, True, 0, 20000)
    parts = [render_triggers(notes, RATE_HZ, True, start, 700) for start in range(0, 20300, 700)]
    assert np.array_equal(np.concatenate(parts)[:20000], whole)


def test_a_cymbal_ticks_higher() -> None:
    drum, cymbal = (np.abs(np.fft.rfft(tick(RATE_HZ, cross), 8192)) for cross in (False, True))
    assert np.argmax(cymbal) > 2 * np.argmax(drum)
