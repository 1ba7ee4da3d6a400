"""Ticks on the hits: at the sample, softer for softer hits, the same whatever window is asked for."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from nubrak.core.mix.trigger import render_click, render_triggers, tick
from nubrak.core.shape import Notes
from nubrak.core.tempo import Tempo

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


def test_a_click_stands_on_every_beat_and_windows_join_to_the_whole() -> None:
    tempo = Tempo(bpm=120, beats_per_bar=3, bar_one_s=0.2, known="set")
    whole = render_click(tempo, RATE_HZ, 0, 3 * RATE_HZ)
    cuts = (0, 1234, 8821, 3 * RATE_HZ)
    joined = [render_click(tempo, RATE_HZ, a, b - a) for a, b in pairwise(cuts)]
    assert np.array_equal(np.concatenate(joined), whole)
    loud = np.abs(whole) > 1e-4
    begins = np.nonzero(loud & ~np.concatenate([np.zeros(1000, bool), loud[:-1000]]))[0]
    first = begins[np.diff(begins, prepend=-9999) > 4000] / RATE_HZ
    assert first == pytest.approx(0.2 + 0.5 * np.arange(6), abs=0.001)
    peaks = [np.abs(whole[round(t * RATE_HZ) : round((t + 0.04) * RATE_HZ)]).max() for t in first]
    assert peaks[0] == pytest.approx(peaks[3], rel=0.02) and peaks[0] > 1.2 * peaks[1]
