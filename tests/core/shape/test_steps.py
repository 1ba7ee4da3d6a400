"""Velocity from strength, and the steps that edit it: each does what it says, is exact, and can be taken out
again.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from nubrak.core.shape.steps import (
    Accents,
    EvenOut,
    Ghosts,
    Limits,
    Line,
    LinePoint,
    Raise,
    Randomise,
    Recovery,
    Scale,
    Scope,
    SetTo,
    in_scope,
    metrical_weight,
    stepped,
)
from nubrak.core.tempo.tempo_map import Tempo

TIMES = np.arange(16) * 0.125
TEMPO = Tempo(bpm=120)
VELOCITIES = np.array([110, 40, 60, 38, 100, 42, 62, 40, 112, 39, 61, 41, 99, 45, 58, 36], float)


def done(*steps: object) -> np.ndarray:
    return stepped(VELOCITIES, TIMES, list(steps), Tempo())  # type: ignore[arg-type]


def test_each_step_does_what_it_says() -> None:
    assert np.allclose(done(Raise(kind="raise", by=10)) - VELOCITIES, 10)
    scaled = done(Scale(kind="scale", percent=50))
    assert scaled.mean() == pytest.approx(VELOCITIES.mean()) and np.ptp(scaled) == pytest.approx(
        np.ptp(VELOCITIES) / 2
    )
    assert done(Scale(kind="scale", percent=50, pivot=100))[0] == pytest.approx(105)
    assert np.all(done(SetTo(kind="set", velocity=77)) == 77)
    assert done(Limits(kind="limits", floor=50, ceiling=90)).tolist() == np.clip(VELOCITIES, 50, 90).tolist()
    ghosts = done(Ghosts(kind="ghosts", loudest=30, scope=Scope(chosen_s=[0.125, 0.375])))
    assert ghosts[1] == 30 and ghosts[3] == pytest.approx(30 * 38 / 40) and ghosts[0] == 110
    line = done(
        Line(kind="line", points=[LinePoint(time_s=0, percent=100), LinePoint(time_s=1.0, percent=50)])
    )
    assert line[4] == pytest.approx(75) and line[8:] == pytest.approx(VELOCITIES[8:] / 2)


def test_evening_out_keeps_alive_and_whole_evening_is_the_local_mean() -> None:
    half, whole = done(EvenOut(kind="even", percent=50)), done(EvenOut(kind="even", percent=100, around=64))
    assert np.std(half) < np.std(VELOCITIES) and np.all(
        np.sign(np.diff(half)) == np.sign(np.diff(VELOCITIES))
    )
    assert np.ptp(whole) == pytest.approx(0)


def test_random_is_kept_with_its_seed_and_a_stroke_more_changes_no_other() -> None:
    step = Randomise(kind="random", amount=8, seed=3)
    first = done(step)
    assert np.array_equal(first, done(step)) and not np.array_equal(
        first, done(Randomise(kind="random", amount=8, seed=4))
    )
    assert np.abs(first - VELOCITIES).max() <= 8 and np.abs(first - VELOCITIES).max() > 3
    more = stepped(np.append(VELOCITIES, 90.0), np.append(TIMES, 2.5), [step], Tempo())
    assert np.array_equal(more[:-1], first)
    many = stepped(np.full(20000, 64.0), np.arange(20000) * 0.1, [step], Tempo()) - 64
    # Even between -8 and 8: mean 0, standard deviation 16 / sqrt(12).
    assert abs(many.mean()) < 0.15 and np.std(many) == pytest.approx(16 / 12**0.5, rel=0.03)


@given(
    arrays(np.float64, st.integers(1, 40), elements=st.floats(1, 127)),
    st.floats(0, 60),
    st.lists(st.booleans(), min_size=3, max_size=3),
)
def test_a_step_switched_off_is_as_if_it_were_not_there(
    velocity: np.ndarray, by: float, on: list[bool]
) -> None:
    times = np.arange(len(velocity)) * 0.2
    steps = [
        Raise(kind="raise", by=by, on=on[0]),
        Scale(kind="scale", percent=70, on=on[1]),
        Limits(kind="limits", floor=10, ceiling=120, on=on[2]),
    ]
    made = stepped(velocity, times, steps, Tempo())
    assert np.array_equal(made, stepped(velocity, times, [step for step in steps if step.on], Tempo()))
    assert made.min() >= 0 and made.max() <= 127
    assert stepped(velocity, times, [], Tempo()).tolist() == velocity.tolist()


@given(st.floats(-100, 100), st.floats(0, 2), st.floats(0, 2))
def test_what_is_out_of_scope_is_left_as_it_is(by: float, start: float, end: float) -> None:
    made = done(Raise(kind="raise", by=by, scope=Scope(start_s=start, end_s=end)))
    outside = (start > TIMES) | (end <= TIMES)
    assert np.array_equal(made[outside], VELOCITIES[outside])


def test_chosen_strokes_are_found_again_after_a_small_move() -> None:
    assert in_scope(TIMES, Scope(chosen_s=[0.1300, 1.0]), TEMPO).nonzero()[0].tolist() == [1, 8]
    assert not in_scope(TIMES, Scope(chosen_s=[]), TEMPO).any()
    assert in_scope(TIMES, Scope(start_s=0.5, chosen_s=[0.125, 1.0]), TEMPO).nonzero()[0].tolist() == [8]


def test_accents_follow_the_bar() -> None:
    tempo = Tempo(bpm=120)
    weight = metrical_weight(np.arange(16) * 0.125, tempo)  # sixteenths of one bar
    assert (
        weight[0] == 1.0
        and weight[8] == 0.85
        and weight[4] == weight[12] == 0.7
        and weight[2] == 0.35
        and weight[1] == 0.0
    )
    flat = stepped(np.full(16, 100.0), TIMES, [Accents(kind="accents", percent=40)], tempo)
    assert flat[0] == 100 and flat[1] == pytest.approx(60) and flat[4] == pytest.approx(88)
    three = metrical_weight(np.arange(4) * 0.5, Tempo(bpm=120, beats_per_bar=3))
    assert three.tolist() == [1.0, 0.7, 0.7, 1.0]


def test_a_flat_programmed_snare_comes_alive() -> None:
    times = np.arange(64) * 0.125
    flat = np.full(64, 100.0)
    made = stepped(
        flat,
        times,
        [Accents(kind="accents"), Recovery(kind="recovery"), Randomise(kind="random", amount=5)],
        Tempo(bpm=120),
    )
    assert np.std(made) > 8 and made[::16].mean() > made[1::4].mean() + 20
    assert len(np.unique(np.round(made))) > 20


def test_ghosts_by_their_place_leave_the_beats_alone() -> None:
    time_s = np.arange(16) * 0.125 + np.array(
        [0.004, -0.003] * 8
    )  # sixteenths of a bar at 120, a little loose
    made = stepped(
        np.full(16, 100.0),
        time_s,
        [Ghosts(kind="ghosts", loudest=30, scope=Scope(places="between"))],
        Tempo(bpm=120),
    )
    assert made.tolist() == [100.0 if index % 4 == 0 else 30.0 for index in range(16)]
    made = stepped(
        np.full(16, 100.0),
        time_s,
        [SetTo(kind="set", velocity=120, scope=Scope(places="on"))],
        Tempo(bpm=120),
    )
    assert made.tolist() == [120.0 if index % 4 == 0 else 100.0 for index in range(16)]
