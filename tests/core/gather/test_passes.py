"""Passes made into one: every bar from the pass that was chosen, and no click between them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.gather import joined_passes
from tests.conftest import decaying_strokes

RATE_HZ = 8000
LINES = [0, 8000, 16000, 24000]


def passes() -> list[np.ndarray]:
    return [
        decaying_strokes([at, at + 1, at + 2, at + 3], [0.7] * 4, 4.0, RATE_HZ, seed=seed)[:, None]
        for at, seed in ((0.1, 1), (0.4, 2))
    ]


@pytest.mark.parametrize("chosen", [[0, 1, 0, 1], [1, 1, 0, 0], [0, 0, 0, 1]])
def test_each_bar_is_of_its_pass(chosen: list[int]) -> None:
    both = passes()
    begin, made = joined_passes(both, [0, 0], LINES, chosen, RATE_HZ)
    assert begin == 0
    for bar, which in enumerate(chosen):
        inside = slice(8000 * bar + 10, 8000 * (bar + 1) - 600)
        assert np.array_equal(made[inside], both[which][inside]), (
            "but near the line it is the pass, bit for bit"
        )


def test_a_stroke_a_little_ahead_of_the_line_stays_with_its_bar() -> None:
    early = decaying_strokes([0.98], [0.7], 2.0, RATE_HZ)[:, None]
    silent = np.zeros_like(early)
    _, made = joined_passes([silent, early], [0, 0], LINES[:2], [0, 1], RATE_HZ)
    assert np.abs(made[round(0.975 * RATE_HZ) :]).max() == pytest.approx(np.abs(early).max(), rel=0.05)


def test_two_passes_that_are_the_same_stay_the_same() -> None:
    one = passes()[0]
    _, made = joined_passes([one, one], [0, 0], LINES, [0, 1, 0, 1], RATE_HZ)
    assert np.allclose(made, one, atol=1e-6)


@given(st.lists(st.integers(0, 1), min_size=4, max_size=4), st.integers(0, 3000), st.integers(0, 3000))
def test_wherever_passes_begin_nothing_is_louder_than_they_are(chosen: list[int], a: int, b: int) -> None:
    both = [np.full((20000, 1), 0.5, np.float32), np.full((23000, 2), -0.5, np.float32)]
    begin, made = joined_passes(both, [a, b], LINES, chosen, RATE_HZ)
    assert begin == min(a, b)
    assert made.shape == (max(a + 20000, b + 23000) - begin, 2)
    assert np.abs(made).max() <= 0.5 + 1e-6
