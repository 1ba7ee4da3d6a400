"""Seconds to beats and back, a map that follows a performance."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.tempo.follow import follow
from nubrak.core.tempo.tempo_map import Tempo, TempoChange, beats_at, seconds_at

TEMPOS = st.builds(
    Tempo,
    bpm=st.floats(40, 240),
    bar_one_s=st.floats(0, 8),
    changes=st.lists(st.builds(TempoChange, time_s=st.floats(0, 60), bpm=st.floats(40, 240)), max_size=6),
)


@given(TEMPOS, st.lists(st.floats(0, 120), min_size=1, max_size=20))
def test_beats_and_seconds_are_each_others_reverse(tempo: Tempo, times: list[float]) -> None:
    there = beats_at(tempo, np.array(times))
    assert np.abs(seconds_at(tempo, there) - times).max() < 1e-6
    assert np.all(np.diff(beats_at(tempo, np.sort(times))) >= 0)
    assert abs(float(beats_at(tempo, np.array([tempo.bar_one_s]))[0])) < 1e-6


def test_beats_from_arithmetic() -> None:
    tempo = Tempo(bpm=120, bar_one_s=1.0, changes=[TempoChange(time_s=3.0, bpm=60)])
    # Two seconds at 120 are four beats, then a beat a second.
    assert beats_at(tempo, np.array([0.0, 1.0, 2.0, 3.0, 5.0])).tolist() == pytest.approx([-2, 0, 2, 4, 6])


def played(bpm: float, bars: int, jitter_s: float, seed: int, start_s: float = 0.7) -> np.ndarray:
    """Kick and snare on the beats, hat eighths, some sixteenths."""
    rng = np.random.default_rng(seed)
    beats = [
        bar * 4 + place
        for bar in range(bars)
        for place in [*np.arange(0, 4, 0.5), *(rng.choice(np.arange(0.25, 4, 0.5), 2))]
    ]
    return np.sort(start_s + np.array(beats) * 60 / bpm + rng.normal(0, jitter_s, len(beats)))


def test_the_map_stays_with_a_player_who_speeds_up() -> None:
    # From 100 to 112 over 24 bars.
    bpm = np.linspace(100, 112, 24 * 4)
    beats_s = 0.5 + np.concatenate([[0.0], np.cumsum(60 / bpm)])
    eighths = np.sort(
        np.concatenate([beats_s[:-1], beats_s[:-1] + np.diff(beats_s) / 2])
    ) + np.random.default_rng(1).normal(0, 0.004, 24 * 8)
    changes = follow(Tempo(bpm=100, bar_one_s=0.5), eighths)
    tempo = Tempo(bpm=100, bar_one_s=0.5, changes=changes)
    where = beats_at(tempo, beats_s[: 23 * 4])
    assert np.abs(where - np.arange(23 * 4)).max() < 0.06
    straight = beats_at(Tempo(bpm=100, bar_one_s=0.5), beats_s[: 23 * 4])
    assert np.abs(straight - np.arange(23 * 4)).max() > 2
    assert follow(Tempo(), np.array([0.1])) == []


def test_the_map_goes_on_through_a_pause() -> None:
    times = played(104, 12, 0.003, 2, start_s=0.0)
    times = times[(times < 8) | (times > 16)]
    tempo = Tempo(bpm=104, changes=follow(Tempo(bpm=104), times))
    assert beats_at(tempo, np.array([24.0]))[0] == pytest.approx(24.0 * 104 / 60, abs=0.15)
