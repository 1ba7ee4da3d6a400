"""The tempo of hits, among half of it and double it; and its speed does not hang on how long they last."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.tempo.estimate import estimate_tempo


def played(bpm: float, beats: int, seed: int = 1, jitter_s: float = 0.006) -> np.ndarray:
    """Eighths of a steady hand, some left out."""
    rng = np.random.default_rng(seed)
    at = np.arange(beats * 2) * 30.0 / bpm + rng.normal(0, jitter_s, beats * 2)
    return np.sort(at[rng.random(len(at)) < 0.85])


@pytest.mark.parametrize("bpm", [62, 84, 96, 117, 133.3, 158, 174])
def test_the_tempo_is_among_the_guesses_to_a_tenth(bpm: float) -> None:
    guesses = estimate_tempo(played(bpm, 120))
    assert min(abs(guess.bpm - bpm) for guess in guesses) < 0.1
    first = guesses[0].bpm
    assert all(min(abs(guess.bpm / first - factor) for factor in (0.5, 1, 2)) < 0.01 for guess in guesses)


def test_where_it_begins_and_in_what_order_it_comes_makes_no_difference() -> None:
    times = played(104, 100)
    (first, *_), (later, *_) = estimate_tempo(times), estimate_tempo(times + 37.2)
    assert later.bpm == pytest.approx(first.bpm, abs=0.02)


def test_a_pulse_is_surer_than_none() -> None:
    steady = estimate_tempo(played(104, 100))[0]
    rain = estimate_tempo(np.sort(np.random.default_rng(2).uniform(0, 60, 200)))
    assert all(guess.confidence < steady.confidence / 2 for guess in rain)


def test_too_few_hits_tell_nothing() -> None:
    assert estimate_tempo(np.arange(7) * 0.5) == []
    assert estimate_tempo(np.zeros(0)) == []
