"""Where a source is turned down, and that every window of it equals the whole."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.mix import Cleaning, GapMark, Openings, Strokes, gap_gain, openings_of

RATE_HZ = 1000
NONE = np.zeros(0)


def strokes(times: list[float], ring_s: float = 0.2, others: list[float] | None = None) -> Strokes:
    at = np.array(times)
    return Strokes(
        at, at.copy(), np.full(len(at), ring_s), np.full(len(at), 2 * ring_s), np.array(others or [])
    )


def opened(cleaning: Cleaning, of: Strokes) -> Openings:
    return openings_of(cleaning, of, RATE_HZ)


USUAL = Cleaning(on=True, opens_ms=1, fade_in_ms=4, fade_out_ms=20)


def test_it_is_whole_from_before_the_attack_to_the_end_of_the_ring_and_down_by_the_chosen_db() -> None:
    gain = gap_gain(opened(USUAL, strokes([1.0, 2.0, 3.0])), 0, 5000)
    for at in (1000, 2000):
        assert np.all(gain[at - 1 : at + 200] == 1.0)
        assert np.allclose(gain[at + 221 : at + 990], 10 ** (-16 / 20))
    assert np.allclose(gain[:990], 10 ** (-16 / 20)), "before the first stroke as well"
    assert np.all(np.diff(gain[994:1000]) >= 0) and np.all(np.diff(gain[1200:1221]) <= 0)


def test_sixty_is_silence() -> None:
    gain = gap_gain(opened(USUAL.model_copy(update={"down_db": 60.0}), strokes([1.0, 2.0])), 0, 3000)
    assert np.all(gain[1300:1900] == 0.0)


def test_the_last_stroke_of_a_passage_rings_out_whole() -> None:
    found = opened(USUAL, strokes([1.0, 2.0, 6.0]))
    ends = found.closes / RATE_HZ - np.array([1.0, 2.0, 6.0])
    assert np.allclose(ends, [0.2, 0.4, 0.4]) and found.fall[1] > found.fall[0]


def test_strokes_without_room_between_them_are_one_opening() -> None:
    found = opened(USUAL, strokes([1.0, 1.25, 1.5, 2.5]))
    assert found.first.tolist() == [0, 3] and found.last.tolist() == [2, 3]


def test_another_pieces_stroke_is_cut_neither_where_it_opens_nor_where_it_closes() -> None:
    # One 20 ms before a stroke, one whose attack would lie in the fade behind it.
    found = opened(USUAL, strokes([1.0, 2.0], others=[0.98, 1.21]))
    assert found.opens[0] <= 979 and found.closes[0] >= 1290
    gain = gap_gain(found, 0, 3000)
    assert np.all(gain[979:1290] == 1.0)


def test_what_a_hand_set_stands_over_every_setting_and_waits_for_its_stroke() -> None:
    marks = {
        "a": GapMark(time_s=1.0, closes_s=0.5, down_db=30),
        "b": GapMark(time_s=2.001, opens_s=0.1),
        "c": GapMark(time_s=9.0, closes_s=0.1),
    }
    for down_db, rings in ((16.0, 0.2), (40.0, 0.05)):
        cleaning = USUAL.model_copy(update={"marks": marks, "down_db": down_db})
        found = opened(cleaning, strokes([1.0, 2.0, 3.0], rings))
        assert found.closes[0] == 1500 and found.opens[1] == 1900
        assert found.gain[1] == pytest.approx(10 ** (-30 / 20))
        assert found.gain[0] == pytest.approx(10 ** (-down_db / 20))
    with_it = opened(USUAL.model_copy(update={"marks": marks}), strokes([1.0, 9.0]))
    assert with_it.closes[1] == 9100


def test_a_gap_set_to_nothing_stays_open() -> None:
    marks = {"a": GapMark(time_s=1.0, down_db=0)}
    gain = gap_gain(opened(USUAL.model_copy(update={"marks": marks}), strokes([1.0, 2.0])), 0, 2200)
    assert np.all(gain[1000:2200] == 1.0)


def test_without_strokes_all_of_it_is_a_gap() -> None:
    gain = gap_gain(opened(USUAL, strokes([])), 0, 100)
    assert np.allclose(gain, 10 ** (-16 / 20))


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.floats(0.01, 4), min_size=1, max_size=8, unique=True),
    st.lists(st.integers(0, 5000), max_size=6),
    st.floats(0.02, 1),
    st.floats(1, 60),
    st.lists(st.tuples(st.integers(0, 7), st.floats(0, 3), st.floats(0, 3), st.floats(0, 60)), max_size=3),
)
def test_windows_join_to_the_whole(
    times: list[float],
    cuts: list[int],
    ring_s: float,
    down_db: float,
    by_hand: list[tuple[int, float, float, float]],
) -> None:
    of = strokes(sorted(times), ring_s)
    marks = {
        str(k): GapMark(time_s=of.time_s[row % len(times)], closes_s=closes, opens_s=opens, down_db=down)
        for k, (row, closes, opens, down) in enumerate(by_hand)
    }
    found = opened(USUAL.model_copy(update={"down_db": down_db, "marks": marks}), of)
    whole = gap_gain(found, 0, 5000)
    assert np.all(np.isfinite(whole)) and whole.min() >= 0 and whole.max() <= 1
    edges = sorted({0, 5000, *cuts})
    joined = np.concatenate([gap_gain(found, a, b - a) for a, b in pairwise(edges)])
    assert np.array_equal(joined, whole)
