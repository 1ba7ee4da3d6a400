"""The ways to read hits: always in order of likelihood, beats where strokes are, loops of whole bars."""

from __future__ import annotations

import numpy as np
import pytest

from benchmarks.grooves import GROOVES, as_found, play
from benchmarks.learn_tempo import hits_of
from nubrak.core.tempo.meter import FAMILIES
from nubrak.core.tempo.readings import in_order, readings

WALTZ = next(one for one in GROOVES if one.name == "waltz")


def test_readings_come_likeliest_first_and_hold_the_beat() -> None:
    played = play(WALTZ, 126.0, 21, 30.0)
    found = readings(hits_of(as_found(played, 21)))
    odds = [one.odds for one in found]
    assert odds == sorted(odds, reverse=True)
    best = found[0]
    assert FAMILIES[best.family].beats == 3
    beats = np.interp(played.beats_s[4:-4], best.knots_s, best.beats)
    assert np.abs(beats - np.round(beats)).max() < 0.15
    bars = np.interp(played.beats_s[6:-4:3], best.knots_s, best.beats) / 3
    assert np.abs(bars - np.round(bars)).max() < 0.1


def test_every_tempo_is_read_in_bars_of_every_kind() -> None:
    found = readings(hits_of(play(WALTZ, 120.0, 1, 20.0).strokes))
    assert {one.family for one in found} == set(range(len(FAMILIES)))


def test_a_loop_is_read_in_whole_bars() -> None:
    played = play(WALTZ, 140.0, 2, 12.0, wander=False)
    loop_s = float(played.beats_s[-1] - played.beats_s[0])
    hits = {
        piece: (time_s - played.beats_s[0], weight)
        for piece, (time_s, weight) in hits_of(played.strokes).items()
    }
    best = readings(hits, loop_s)[0]
    bars = loop_s / (best.period_s * FAMILIES[best.family].beats)
    assert bars == pytest.approx(round(bars), rel=0.01)


def test_hits_of_all_pieces_are_put_in_order() -> None:
    time_s, weight = in_order(
        {"kick": (np.array([0.0, 2.0]), np.array([1.0, 0.5])), "snare": (np.array([1.0]), np.array([0.7]))}
    )
    assert time_s.tolist() == [0.0, 1.0, 2.0] and weight.tolist() == [1.0, 0.7, 0.5]
    assert all(len(one) == 0 for one in in_order({}))
