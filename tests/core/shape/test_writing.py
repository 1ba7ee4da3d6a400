"""Bars as they are read and written, and bars that vary as a player does."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.problem import Problem
from nubrak.core.shape import (
    Notes,
    PatternNote,
    Vary,
    bar_of,
    deviation_ms,
    feel_of,
    graces,
    hardness,
    read_bar,
    steps_s,
    varied,
    within,
)
from nubrak.core.tempo import Grid, Tempo, TempoChange

TEMPO = Tempo(bpm=120, bar_one_s=0.5, known="set")


def notes_of(strokes: list[tuple[float, int]]) -> Notes:
    ordered = sorted(strokes)
    return Notes(
        np.array([at for at, _ in ordered]),
        np.array([hard for _, hard in ordered], np.int64),
        38,
        10,
        0.5,
        row=-1 - np.arange(len(ordered)),
    )


def test_steps_stand_where_the_tempo_has_them() -> None:
    # At 120 bpm a quarter is half a second: sixteenths stand every eighth of a second.
    assert steps_s(TEMPO, 1, Grid()) == pytest.approx(0.5 + np.arange(17) / 8)
    assert steps_s(TEMPO, 2, Grid(step=8, kind="triplet")) == pytest.approx(2.5 + np.arange(13) / 6)
    six_eight = Tempo(bpm=120, beats_per_bar=6, beat_unit=8, known="set")
    assert steps_s(six_eight, 1, Grid(step=8)) == pytest.approx(np.arange(7) / 4)
    faster = TEMPO.model_copy(update={"changes": [TempoChange(time_s=2.5, bpm=240)]})
    assert steps_s(faster, 2, Grid(step=4)) == pytest.approx(2.5 + np.arange(5) / 4)


def test_a_bar_is_read_with_its_ghosts_accents_and_grace_notes() -> None:
    strokes = [(0.5, 100), (0.626, 30), (0.97, 55), (1.0, 100), (1.375, 124), (2.49, 100), (2.6, 90)]
    notes = notes_of(strokes)
    hard = hardness(notes.velocity)
    read = read_bar(notes, TEMPO, 1, Grid(), hard)
    assert [one.step for one in read] == [0, 1, 4, 7]
    assert [one.kind for one in read] == ["plain", "ghost", "plain", "accent"]
    assert [len(one.graces) for one in read] == [0, 0, 1, 0]
    assert read[1].late_ms == pytest.approx(1.0)
    # A hair before the bar line is the next bar's first stroke.
    assert [one.step for one in read_bar(notes, TEMPO, 2, Grid(), hard)] == [0, 1]


@given(st.lists(st.integers(1, 127), max_size=30))
def test_how_hard_a_part_plays_is_in_order(velocity: list[int]) -> None:
    hard = hardness(np.array(velocity, np.int64))
    assert 1 <= hard.ghost <= hard.usual <= hard.accent <= 127
    assert hard.kind_of(hard.usual) == "plain"


def test_grace_notes_stand_before_their_stroke_and_not_before_time_zero() -> None:
    flam, drag = graces(1.0, 100, "flam"), graces(1.0, 100, "drag")
    assert len(flam) == 1 and len(drag) == 2
    assert all(0.93 < one.time_s < 1.0 and one.velocity < 100 for one in (*flam, *drag))
    read = read_bar(
        notes_of([(one.time_s, one.velocity) for one in drag] + [(1.0, 100)]),
        TEMPO,
        1,
        Grid(),
        hardness(np.array([100])),
    )
    assert len(read) == 1 and len(read[0].graces) == 2
    assert graces(0.01, 100, "flam") == []


def played(seed: int) -> Notes:
    """Eight bars of backbeats with ghosts on changing steps, a few ms around the grid."""
    chance, strokes = np.random.default_rng(seed), []
    for bar in range(8):
        for step in (4, 12):
            strokes.append((steps_s(TEMPO, bar + 1, Grid())[step] + 0.003 * chance.standard_normal(), 100))
        for step in chance.choice([3, 7, 9, 15], 2, replace=False).tolist():
            strokes.append((steps_s(TEMPO, bar + 1, Grid())[step] + 0.003 * chance.standard_normal(), 30))
    return notes_of(strokes)


def vary(own: Notes, bar: list[PatternNote], settings: Vary, seed: int) -> list[PatternNote]:
    grid = Grid()
    step, late_ms = deviation_ms(own.time_s, TEMPO, grid)
    feel = feel_of("own", step, late_ms, own.velocity, grid, TEMPO.bar_beats)
    return varied(bar, own, feel, TEMPO, 9, settings, np.random.default_rng(seed))


@given(st.integers(0, 10_000))
def test_a_varied_bar_keeps_its_loud_strokes_and_plays_only_what_the_part_plays(seed: int) -> None:
    own, grid = played(seed), Grid()
    times = steps_s(TEMPO, 9, grid)
    bar = [PatternNote(time_s=times[k], velocity=v, fixed=True) for k, v in ((4, 100), (7, 30), (12, 100))]
    new = vary(own, bar, Vary(), seed)
    steps = [int(np.argmin(np.abs(times - one.time_s))) for one in new]
    assert {4, 12} <= set(steps) <= {3, 4, 7, 9, 12, 15} and len(steps) == len(set(steps))
    assert all(abs(one.time_s - times[step]) < 0.03 for one, step in zip(new, steps, strict=True))
    assert all(int(bar_of(np.array([one.time_s]), TEMPO)[0]) == 9 for one in new)
    assert new == vary(own, bar, Vary(), seed)


def test_what_is_not_to_be_varied_stays_and_all_of_it_goes() -> None:
    own = played(1)
    times = steps_s(TEMPO, 9, Grid())
    bar = [PatternNote(time_s=times[k], velocity=v, fixed=True) for k, v in ((4, 100), (7, 30), (12, 100))]
    still = Vary(drop_percent=0, add_percent=0, shift_percent=0)
    assert vary(own, bar, still, 3) == bar
    dropped = vary(own, bar, still.model_copy(update={"drop_percent": 100}), 3)
    assert [one.velocity for one in dropped] == [100, 100]
    added = vary(own, bar, still.model_copy(update={"add_percent": 100}), 3)
    assert len(added) == 3 + 3  # the ghosts of the steps 3, 9 and 15


def test_too_many_bars_at_once_are_refused() -> None:
    within(1)
    for bars in (0, -3, 513):
        with pytest.raises(Problem, match="bars at once"):
            within(bars)
