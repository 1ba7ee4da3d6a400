"""Tempo, bar and bar one told by hits whose tempo is known, by construction and by performed grooves."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks.grooves import GROOVES, as_found, play
from benchmarks.learn_tempo import hits_of
from benchmarks.styles import LEAD_S, STYLES, perform
from nubrak.core.tempo.meter import Hits
from nubrak.core.tempo.tempo_map import Tempo, beats_at, seconds_at
from nubrak.core.tempo.told import TempoTold, tempo_told_by


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


def told_of(hits: Hits, loop_s: float | None = None) -> TempoTold:
    told = tempo_told_by(hits, loop_s)
    assert told is not None
    return told


@given(st.floats(66, 185), st.floats(0.2, 3.0), st.integers(0, 50))
@settings(max_examples=25, deadline=None)
def test_a_backbeat_tells_its_tempo_and_where_bar_one_is(bpm: float, begins_s: float, seed: int) -> None:
    told = told_of(backbeat(bpm, begins_s, seed=seed))
    assert told.bpm == pytest.approx(bpm, rel=0.003)
    assert (told.beats_per_bar, told.beat_unit) == (4, 4)
    assert told.bar_one_s == pytest.approx(begins_s, abs=0.03)
    assert not told.changes, "an even hand has one tempo"


@pytest.mark.parametrize(
    ("name", "bpm", "bar"),
    [
        ("rock eighths", 62.0, (4, 4)),
        ("rock eighths", 186.0, (4, 4)),
        ("half-time", 150.0, (4, 4)),
        ("funk sixteenths", 96.0, (4, 4)),
        ("shuffle", 126.0, (4, 4)),
        ("waltz", 156.0, (3, 4)),
        ("jazz waltz", 144.0, (3, 4)),
        ("six-eight rock", 64.0, (6, 8)),
        ("six-eight ballad", 52.0, (6, 8)),
    ],
)
@pytest.mark.parametrize("seed", [1, 2])
def test_grooves_in_four_three_and_six_eight(name: str, bpm: float, bar: tuple[int, int], seed: int) -> None:
    """With strokes missed and false; what is taught are the grooves' patterns, not these performances."""
    groove = next(one for one in GROOVES if one.name == name)
    told = told_of(hits_of(as_found(play(groove, bpm, seed, 32.0, wander=False), seed)))
    quarters = 1.5 if bar[1] == 8 else 1.0  # a dotted beat is one and a half
    assert told.bpm == pytest.approx(bpm * quarters, rel=0.01)
    assert told.beats_per_bar % bar[0] == 0 and told.beat_unit == bar[1]


def test_half_and_double_stand_beside_it() -> None:
    told = told_of(backbeat(118.0, 0.5))
    beside = [one.bpm / told.bpm for one in told.others]
    assert any(abs(one - 0.5) < 0.02 for one in beside) and any(abs(one - 2.0) < 0.02 for one in beside)
    assert sum(one.confidence for one in told.others) + told.confidence <= 1.001


def test_hits_without_a_tempo_are_not_sure() -> None:
    rng = np.random.default_rng(4)
    for count in (20, 120, 600):
        rain = {
            piece: (np.sort(rng.uniform(0, count / 3, count)), np.ones(count)) for piece in ("kick", "snare")
        }
        told = tempo_told_by(rain)
        assert told is None or (not told.sure and told.confidence < 0.2)


def test_too_few_hits_tell_nothing() -> None:
    assert tempo_told_by({"kick": (np.array([0.0, 0.5, 1.0]), np.ones(3))}) is None
    assert tempo_told_by({}) is None


@pytest.mark.parametrize("style", sorted(STYLES))
def test_performed_styles_are_told_and_begin_on_a_beat(style: str) -> None:
    """The tempo a style was performed at is not handed on, but where it began is: bar one stands on a beat
    from there, whichever octave of the tempo was told.
    """
    told = told_of(hits_of(perform(style, 30.0, 77)))
    beats = (told.bar_one_s - LEAD_S) * told.bpm / 60.0
    step = 1 / 3 if told.beat_unit == 8 else 1.0
    assert beats / step == pytest.approx(round(beats / step), abs=0.2)


def test_the_bar_begins_on_the_crash_and_not_on_a_pick_up() -> None:
    hits = dict(backbeat(100.0, 2.4, spread_ms=0.0))
    hits["snare"] = (np.insert(hits["snare"][0], 0, 1.8), np.insert(hits["snare"][1], 0, 0.5))
    hits["crash"] = (np.array([2.4]), np.array([1.0]))
    assert told_of(hits).bar_one_s == pytest.approx(2.4, abs=0.01)


def test_an_hour_is_told_as_finely_as_a_minute() -> None:
    rng = np.random.default_rng(3)
    beat = 60.0 / 117.3
    place = np.sort(rng.choice(int(3600 / beat * 2), 9000, replace=False))
    time_s = np.sort(place * beat / 2 + 0.3 + rng.normal(0, 0.004, 9000))
    best = told_of({"hi-hat": (time_s, np.ones(len(time_s)))})
    assert min(abs(best.bpm / octave / 117.3 - 1) for octave in (0.5, 0.75, 1.0, 1.5, 2.0, 3.0)) < 1e-4


@pytest.mark.parametrize("length_s", [60.0, 300.0])
def test_a_tempo_that_wanders_is_followed_bar_by_bar(length_s: float) -> None:
    """Longer than it is counted over, too."""
    rng = np.random.default_rng(6)
    beats = int(length_s * 2)
    bpm = 120.0 * np.exp(0.04 * np.sin(np.arange(beats) / 40.0))
    at_s = 0.6 + np.concatenate([[0.0], np.cumsum(60.0 / bpm)])
    beat = np.arange(beats)

    def struck(place: np.ndarray) -> np.ndarray:
        return np.sort(np.interp(place, np.arange(len(at_s)), at_s) + rng.normal(0, 0.005, len(place)))

    hits = {
        "kick": (struck(beat[::2]), np.ones(len(beat[::2]))),
        "snare": (struck(beat[1::2]), np.ones(len(beat[1::2]))),
        "hi-hat": (struck(np.arange(0, beats, 0.5)), np.full(beats * 2, 0.6)),
    }
    told = told_of(hits)
    tempo = Tempo(known="told", bpm=told.bpm, bar_one_s=told.bar_one_s, changes=told.changes)
    found = seconds_at(tempo, beat[4:-4].astype(float))
    assert told.changes and np.abs(found - at_s[4 : beats - 4]).max() < 0.03
    # Half and double once each, of the tempo on the whole.
    assert (
        sum(50 < one.bpm < 70 for one in told.others) == sum(210 < one.bpm < 270 for one in told.others) == 1
    )


def test_a_loop_lasts_whole_bars() -> None:
    """Two bars at 97.3 with sloppy hands: the length of the loop says the tempo to the last digit."""
    loop_s = 8 * 60.0 / 97.3
    told = told_of(backbeat(97.3, 0.0, bars=2, spread_ms=9.0), loop_s)
    assert told.bpm == pytest.approx(97.3, rel=1e-5) and told.bar_one_s == 0.0


@given(st.floats(0.0, 40.0))
@settings(max_examples=10, deadline=None)
def test_where_it_begins_and_in_what_order_it_comes_makes_no_difference(later_s: float) -> None:
    hits = backbeat(104.0, 0.5)
    moved = {piece: (time_s[::-1] + later_s, weight[::-1]) for piece, (time_s, weight) in hits.items()}
    first, later = told_of(hits), told_of(moved)
    assert later.bpm == pytest.approx(first.bpm, rel=1e-3)
    assert later.bar_one_s - later_s == pytest.approx(first.bar_one_s, abs=0.01)


def test_bar_lines_of_the_told_tempo_stand_on_the_bars() -> None:
    told = told_of(backbeat(132.0, 1.2, bars=16))
    tempo = Tempo(known="told", bpm=told.bpm, bar_one_s=told.bar_one_s)
    bars = 1.2 + np.arange(16) * 4 * 60.0 / 132.0
    place = beats_at(tempo, bars) / 4.0
    assert np.abs(place - np.arange(16)).max() < 0.02
