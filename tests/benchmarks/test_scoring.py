"""How the benchmarks count: what is right, missed, false or neither."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from benchmarks.free_play import programmed
from benchmarks.left_out import sure_and_right
from benchmarks.microphones import _band_power, _over_rest_db
from benchmarks.proof import Heard, scored
from benchmarks.sorting.score import counted
from benchmarks.styles import FREE, perform

RATE_HZ = 44100


def hit(time_s: float, required: bool = True, **more: Any) -> dict[str, Any]:
    """A stroke of a truth file."""
    return {"time_s": time_s, "piece": "snare", "velocity": 80, "flags": [], "required": required} | more


def heard(*times_s: float, looked_s: tuple[float, ...] = ()) -> Heard:
    """What was found, all at one velocity."""
    return Heard(np.array(times_s), np.full(len(times_s), 90), np.array(looked_s))


def test_what_is_right_within_10_ms_and_what_only_within_50() -> None:
    out = scored([hit(1.0), hit(2.0), hit(3.0)], heard(1.002, 2.03, 3.0))
    assert out.close.tolist() == [3, 3, 2] and out.wide.tolist() == [3, 3, 3]
    assert out.corrections == 0 and out.harder == [10, 10, 10]
    assert out.late_ms["snare"] == pytest.approx([2.0, 0.0])


def test_a_missed_and_a_false_one_are_two_corrections_and_second_look_is_asked_for_both() -> None:
    hits = [hit(1.0), hit(2.0, flags=["ghost"]), hit(3.0), hit(4.0)]
    out = scored(hits, heard(1.0, 2.5, 3.0, 4.0, looked_s=(2.01, 3.0)))
    assert out.corrections == 500
    assert (out.errors, out.shown, out.places) == (2, 1, 2)
    assert out.flags == {"plain": [True, True, True], "ghost": [False]}


def test_what_is_not_required_is_neither_wanted_nor_false() -> None:
    hits = [hit(1.0), hit(1.5, required=False), hit(1.7, required=False)]
    out = scored(hits, heard(1.0, 1.51))
    assert out.wide.tolist() == [1, 1, 1] and out.corrections == 0 and out.errors == 0


def test_nothing_found_and_nothing_wanted_are_counted_too() -> None:
    assert scored([hit(1.0)], heard()).wide.tolist() == [1, 0, 0]
    assert scored([], heard(1.0)).wide.tolist() == [0, 1, 0]


def test_one_answer_is_right_for_one_stroke_only() -> None:
    wanted = np.array([1.0, 1.02])
    assert counted(wanted, np.zeros(0), np.array([1.01]), 0.025).tolist() == [2, 1, 1]


def test_how_far_a_stroke_stands_over_the_rest_is_told_band_by_band_and_on_the_whole() -> None:
    rng = np.random.default_rng(1)
    t = np.arange(RATE_HZ) / RATE_HZ
    first = round(0.03 * RATE_HZ)
    own = np.zeros(RATE_HZ, np.float32)
    own[5000 : 5000 + first] = 0.1 * np.sin(2 * np.pi * 8000 * t[:first])
    low = (0.3 * np.sin(2 * np.pi * 80 * t)).astype(np.float32)
    hiss = (1e-4 * rng.standard_normal(RATE_HZ)).astype(np.float32)
    power = _band_power(own[5000 : 5000 + first])[None]
    best, whole = _over_rest_db(own + low + hiss, np.array([5000]), power)[0]
    # Under a low tone that is 9.5 dB stronger, and far over everything in its own band.
    assert whole == pytest.approx(-9.5, abs=0.5) and best > 25


def test_a_machine_plays_on_a_grid_in_few_strengths_one_stroke_of_a_piece_at_a_time() -> None:
    played = perform(FREE, 20.0, 4)
    made = programmed(played, np.random.default_rng(1))
    gaps = np.diff(sorted({one.time_s for one in made}))
    step = gaps.min()
    assert step >= 0.034 and np.allclose(gaps / step, np.round(gaps / step), atol=1e-6)
    assert len({(one.time_s, one.piece) for one in made}) == len(made) <= len(played)
    assert len({one.velocity for one in made}) < len({one.velocity for one in played}) / 3


def test_how_sure_is_compared_with_how_right_without_what_is_not_asked_for() -> None:
    decided: Any = SimpleNamespace(
        time_s=np.array([1.0, 2.0, 3.0, 4.0]), stroke_probability=np.array([0.9, 0.2, 0.6, 0.4])
    )
    hits = [{"time_s": 1.001, "required": True}, {"time_s": 3.0, "required": False}]
    assert sure_and_right(hits, decided).tolist() == [[0.9, 1.0], [0.2, 0.0], [0.4, 0.0]]
