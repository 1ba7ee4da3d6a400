"""Slices replayed: at the loop's own tempo it is the loop; at another each attack stands on its note."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.samples.cutting import CutSettings, cut, slice_audio
from nubrak.core.samples.replay import at_tempo, levels_db, replayed
from nubrak.core.signal import loudness_lkfs
from nubrak.core.tempo import Tempo

RATE_HZ = 44100
HITS_S = np.array([0.0, 0.25, 0.49, 0.75, 0.99, 1.49])


def loop() -> np.ndarray:
    """Clicks that ring, over a hiss."""
    rng, out = np.random.default_rng(5), np.zeros(2 * RATE_HZ)
    t = np.arange(RATE_HZ // 2) / RATE_HZ
    for k, at_s in enumerate(HITS_S):
        begin = round(at_s * RATE_HZ)
        tone = np.cos(2 * np.pi * (300 + 50 * k) * t) * np.exp(-t / 0.08) * (0.3 + 0.1 * k)
        out[begin : begin + len(tone)] += tone[: len(out) - begin]
    return (out + 0.001 * rng.standard_normal(len(out))).astype(np.float32)[:, None]


def slices_of(audio: np.ndarray) -> list:
    return cut(len(audio), RATE_HZ, HITS_S, np.zeros(0), CutSettings())


def test_at_its_own_tempo_it_is_the_loop() -> None:
    audio, own = loop(), Tempo(bpm=93.7, bar_one_s=0.0)
    slices = slices_of(audio)
    out = replayed(audio, RATE_HZ, slices, at_tempo(slices, RATE_HZ, len(audio), own, own))
    assert out.shape == audio.shape and np.abs(out - audio).max() < 10 ** (-90 / 20)


@pytest.mark.parametrize("bpm", [60.0, 90.0, 131.0, 180.0])
def test_at_another_tempo_every_attack_is_on_its_note(bpm: float) -> None:
    audio, own, other = loop(), Tempo(bpm=120, bar_one_s=0.0), Tempo(bpm=bpm, bar_one_s=0.0)
    slices = slices_of(audio)
    times = at_tempo(slices, RATE_HZ, len(audio), own, other)
    out = replayed(audio, RATE_HZ, slices, times)
    np.testing.assert_allclose(np.diff(times[:-1]), np.diff(HITS_S) * 120 / bpm, atol=1 / RATE_HZ)
    for one, at_s in zip(slices, times[:-1], strict=True):
        at, size = round(float(at_s) * RATE_HZ), 400
        own_sound, there = audio[one.attack : one.attack + size, 0], out[at : at + size, 0]
        lags = np.correlate(there, own_sound, "full")
        assert abs(int(np.argmax(lags)) - (size - 1)) <= 1


def test_gaps_are_filled_without_a_jump_and_die_away() -> None:
    audio = loop()
    slices = slices_of(audio)
    own, slow = Tempo(bpm=120), Tempo(bpm=60)
    out = replayed(audio, RATE_HZ, slices, at_tempo(slices, RATE_HZ, len(audio), own, slow))[:, 0]
    first = slices[1]
    gap = slice(2 * first.attack + (first.end - first.attack), 2 * first.end - 200)
    assert np.abs(out[gap]).max() > 0, "it does not just stop"
    assert np.abs(np.diff(out[gap.start - 300 : gap.start + 300])).max() <= np.abs(np.diff(audio[:, 0])).max()
    half = (gap.stop - gap.start) // 2
    assert np.std(out[gap.start : gap.start + half]) > np.std(out[gap.start + half : gap.stop])


def test_matched_slices_are_equally_loud() -> None:
    audio = loop()
    slices = slices_of(audio)
    levels = levels_db(audio, RATE_HZ, slices)
    loud = [
        loudness_lkfs([slice_audio(audio, one) * np.float32(10 ** (db / 20))], RATE_HZ)
        for one, db in zip(slices, levels, strict=True)
    ]
    assert max(loud) - min(loud) < 0.2 and np.ptp(levels) > 3
    assert not levels_db(np.zeros_like(audio), RATE_HZ, slices).any(), "silence stays as it is"
