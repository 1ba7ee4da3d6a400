"""Attack and body around strokes that are known."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.mix.attack_body import AttackBodyStage, sharpened

RATE_HZ = 48000
STAGE = AttackBodyStage(attack_db=6, attack_ms=10, body_db=-9, body_ms=300)


def stroke_gain(hits: np.ndarray, start: int, frames: int) -> np.ndarray:
    """What the stage makes of ones."""
    return sharpened(np.ones((frames, 2)), STAGE, hits, RATE_HZ, start)[:, 0]


def db(gain: np.ndarray) -> np.ndarray:
    return 20 * np.log10(gain)


def test_every_stroke_has_its_attack_and_its_body_and_nothing_else_changes() -> None:
    hits = np.array([RATE_HZ, 3 * RATE_HZ])
    level = db(stroke_gain(hits, 0, 5 * RATE_HZ))
    assert np.all(level[: RATE_HZ - 60] == 0) and np.all(level[round(1.6 * RATE_HZ) : 3 * RATE_HZ - 60] == 0)
    for hit in hits:
        assert np.allclose(level[hit : hit + round(0.009 * RATE_HZ)], 6.0, atol=1e-6)
        assert np.allclose(level[hit + round(0.022 * RATE_HZ) : hit + round(0.15 * RATE_HZ)], -9.0, atol=1e-6)


def test_a_stroke_that_comes_while_another_rings_takes_over_without_a_step() -> None:
    level = db(stroke_gain(np.array([4800, 4800 + 2400]), 0, 48000))
    assert np.abs(np.diff(level)).max() < 0.9, "a step would be 15 dB"
    assert level[4800 + 2400 + 100] == pytest.approx(6.0, abs=1e-6)


@given(st.lists(st.integers(0, 20000), max_size=8), st.lists(st.integers(0, 20000), max_size=5))
def test_windows_join_to_the_whole(hits: list[int], cuts: list[int]) -> None:
    at = np.array(sorted(set(hits)), np.int64)
    whole = stroke_gain(at, 0, 20000)
    edges = sorted({0, 20000, *cuts})
    joined = [stroke_gain(at, a, b - a) for a, b in pairwise(edges)]
    assert np.array_equal(np.concatenate(joined), whole) and np.all(np.isfinite(whole))
