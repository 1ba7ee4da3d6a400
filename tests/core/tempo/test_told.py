"""Tempo and bar one told by hits whose tempo is known, by construction and by performed styles."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks.styles import LEAD_S, STYLES, perform
from nubrak.core.tempo.estimate import estimate_tempo
from nubrak.core.tempo.told import bar_one_of, tempo_told_by

Hits = dict[str, tuple[np.ndarray, np.ndarray]]


def backbeat(bpm: float, begins_s: float, bars: int = 8, spread_ms: float = 4.0, seed: int = 1) -> Hits:
    """Kick on one and three, snare on two and four, hats in eighths, as a player's hands give them."""
    rng = np.random.default_rng(seed)
    beat = 60.0 / bpm
    places = {
        "kick": np.arange(0, 4 * bars, 2),
        "snare": np.arange(1, 4 * bars, 2),
        "hi-hat": np.arange(0, 4 * bars, 0.5),
    }
    loud = {"kick": 0.9, "snare": 0.9, "hi-hat": 0.6}
    return {
        piece: (
            np.sort(begins_s + at * beat + rng.normal(0, spread_ms / 1000, len(at))),
            np.full(len(at), loud[piece]),
        )
        for piece, at in places.items()
    }


@given(st.floats(70, 150), st.floats(0.2, 3.0), st.integers(0, 50))
@settings(max_examples=40, deadline=None)
def test_a_backbeat_tells_its_tempo_and_where_bar_one_is(bpm: float, begins_s: float, seed: int) -> None:
    told = tempo_told_by(backbeat(bpm, begins_s, seed=seed))
    assert told is not None and told.sure
    assert told.bpm == pytest.approx(bpm, rel=0.003)
    assert told.bar_one_s == pytest.approx(begins_s, abs=0.03)


def test_hits_without_a_tempo_are_not_sure() -> None:
    rng = np.random.default_rng(4)
    free = {"kick": (np.sort(rng.uniform(0, 60, 120)), np.ones(120))}
    told = tempo_told_by(free)
    assert told is None or not told.sure


def test_too_few_hits_tell_nothing() -> None:
    assert tempo_told_by({"kick": (np.array([0.0, 0.5, 1.0]), np.ones(3))}) is None
    assert tempo_told_by({}) is None


@pytest.mark.parametrize("style", sorted(STYLES))
def test_performed_styles_are_told_surely_and_begin_on_a_beat(style: str) -> None:
    """The tempo a style was performed at is not handed on, but where it began is: bar one stands on a beat
    from there, whichever octave of the tempo was told.
    """
    strokes = perform(style, 30.0, 77)
    pieces = {stroke.piece for stroke in strokes}
    hits = {
        piece: (
            np.array([stroke.time_s for stroke in strokes if stroke.piece == piece]),
            np.array([stroke.velocity / 127 for stroke in strokes if stroke.piece == piece]),
        )
        for piece in pieces
    }
    told = tempo_told_by(hits)
    assert told is not None and told.sure
    beats = (told.bar_one_s - LEAD_S) * told.bpm / 60.0
    assert beats == pytest.approx(round(beats), abs=0.15)


def test_the_bar_begins_on_the_crash_and_not_on_a_pick_up() -> None:
    hits = backbeat(100.0, 2.4, spread_ms=0.0)
    hits["snare"] = (np.append(hits["snare"][0], 1.8), np.append(hits["snare"][1], 0.5))
    hits["crash"] = (np.array([2.4]), np.array([1.0]))
    assert bar_one_of(hits, 100.0, 0.0, 4) == pytest.approx(2.4)


def test_an_hour_is_told_as_finely_as_a_minute() -> None:
    rng = np.random.default_rng(3)
    beat = 60.0 / 117.3
    place = np.sort(rng.choice(int(3600 / beat * 2), 9000, replace=False))
    time_s = np.sort(place * beat / 2 + 0.3 + rng.normal(0, 0.004, 9000))
    best = estimate_tempo(time_s)[0].bpm
    assert min(abs(best / octave / 117.3 - 1) for octave in (0.5, 1.0, 2.0)) < 1e-4
