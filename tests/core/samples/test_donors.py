"""Which stroke can take the place of another."""

from __future__ import annotations

import numpy as np

from nubrak.core.samples import Donor, clearest, donors
from tests.conftest import RATE_HZ, decaying_strokes

TIMES_S = np.arange(8) * 0.5 + 0.25
HARD = np.array([100, 60, 98, 101, 40, 99, 100, 97])
MONO = decaying_strokes(TIMES_S.tolist(), (HARD / 127).tolist(), 4.5, hz=190)


def fit(
    times: np.ndarray,
    hard: np.ndarray,
    others: dict[str, np.ndarray],
    at_s: float,
    wanted: int,
    most: int = 5,
) -> list[Donor]:
    return donors(clearest(MONO, RATE_HZ, times, others), times, hard, others, at_s, wanted, most)


def test_what_sounds_with_it_counts_before_how_hard_it_is() -> None:
    # A hat is struck with every even stroke, and the second is to be mended.
    others = {"hi-hat": TIMES_S[::2]}
    ranked = fit(TIMES_S, HARD, others, float(TIMES_S[2]), 98)
    assert ranked[0].row in (0, 6) and not ranked[0].missing and not ranked[0].extra
    first_odd = next(k for k, one in enumerate(ranked) if one.row % 2)
    assert {one.row for one in ranked[:first_odd]} >= {0, 6}
    assert "without the hi-hat" in next(one for one in ranked if one.row % 2).reason


def test_it_is_as_hard_as_is_wanted_and_never_itself() -> None:
    ranked = fit(TIMES_S, HARD, {}, float(TIMES_S[1]), 100)
    assert all(one.row != 1 for one in ranked) and len(ranked) == 5
    assert all(abs(one.velocity - 100) <= 3 for one in ranked[:3])
    soft = fit(TIMES_S, HARD, {}, float(TIMES_S[1]), 42)
    assert soft[0].row == 4


def test_no_more_is_taken_than_stands_alone_at_both_places() -> None:
    others = {"kick": np.array([TIMES_S[0] + 0.12])}
    ranked = fit(TIMES_S, HARD, others, float(TIMES_S[2]), 98, most=9)
    by_row = {one.row: one for one in ranked}
    assert 0.1 < by_row[0].length_s < 0.12
    assert all(0.45 < one.length_s < 0.5 for row, one in by_row.items() if row not in (0, 7))
    mended_there = fit(TIMES_S, HARD, others, float(TIMES_S[0]), 98)
    assert all(one.length_s < 0.12 for one in mended_there)


def test_a_drum_struck_once_has_nothing_to_give() -> None:
    assert fit(TIMES_S[:1], HARD[:1], {}, float(TIMES_S[0]), 98) == []
