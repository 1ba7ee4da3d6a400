"""Strokes of one drum are like each other."""

from __future__ import annotations

import numpy as np

from nubrak.core.find.search import find_candidates
from tests.core.find.drum import RATE_HZ, drum_strokes


def test_strokes_of_one_drum_sound_alike_and_those_of_another_do_not() -> None:
    audio = np.random.default_rng(1).standard_normal(12 * RATE_HZ) * 1e-5
    for number in range(24):
        begin = round((0.3 + 0.45 * number) * RATE_HZ)
        t = np.arange(4000) / RATE_HZ
        stroke = (
            drum_strokes(number)[:4000]
            if number % 2
            else np.random.default_rng(number % 4).standard_normal(4000) * np.exp(-t / 0.01)
        )
        audio[begin : begin + 4000] += 0.3 * stroke
    found = find_candidates(audio.astype(np.float32), RATE_HZ)
    drums = [int(np.argmin(np.abs(found.time_s - (0.3 + 0.45 * n)))) for n in range(1, 24, 2)]
    sounds = found.similarity[drums].argmax(axis=1)
    assert len(set(sounds.tolist())) == 1 and found.similarity[drums, sounds].min() > 0.9
    noises = [int(np.argmin(np.abs(found.time_s - (0.3 + 0.45 * n)))) for n in range(0, 24, 2)]
    assert found.similarity[noises, sounds[0]].max() < 0.6
