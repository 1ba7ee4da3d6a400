"""Following: the grid stays with a performance that wanders."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.tempo.follow import follow
from nubrak.core.tempo.tempo_map import Tempo, seconds_at


def beats_at(bpm: np.ndarray, begins_s: float) -> np.ndarray:
    """Where beats stand that come at these tempos."""
    return begins_s + np.concatenate([[0.0], np.cumsum(60 / bpm)])


def grid_of(tempo: Tempo, hits: np.ndarray, beats: int) -> np.ndarray:
    followed = tempo.model_copy(update={"changes": follow(tempo, hits)})
    return seconds_at(followed, np.arange(beats, dtype=np.float64))


@pytest.mark.parametrize(("start", "end"), [(100, 100), (96, 108), (120, 104)])
def test_bar_lines_stay_with_a_tempo_that_drifts(start: float, end: float) -> None:
    true = beats_at(np.linspace(start, end, 128), 0.7)
    hits = true + np.random.default_rng(2).normal(0, 0.004, len(true))
    found = grid_of(Tempo(bpm=start, known="set", bar_one_s=0.7), hits, 120)
    assert np.abs(found[::4] - true[:120:4]).max() < 0.02
    still = seconds_at(Tempo(bpm=start, known="set", bar_one_s=0.7), np.arange(120.0))
    if start != end:
        assert np.abs(still - true[:120]).max() > 0.5  # where a fixed grid is lost


def test_where_nothing_is_played_the_last_tempo_goes_on() -> None:
    true = beats_at(np.full(64, 110.0), 0.0)
    hits = np.concatenate([true[:24], true[40:]])
    found = grid_of(Tempo(bpm=110, known="set"), hits, 64)
    assert np.abs(found[::4] - true[:64:4]).max() < 0.01


def test_too_few_hits_are_not_followed() -> None:
    assert follow(Tempo(bpm=100), np.array([0.0, 0.6, 1.2])) == []
