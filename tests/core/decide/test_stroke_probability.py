"""Stroke probability: the trees read as trees are, and more of what can only speak for a stroke never speaks
against it.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.decide.features import AGAINST, FEATURES, FOR
from nubrak.core.decide.stroke_probability import (
    Forest,
    Taught,
    calibrated,
    forest_taught_on,
    log_odds,
    stroke_probability,
)


def one_by_one(row: np.ndarray, forest: Forest) -> float:
    """The same trees walked one after the other."""
    total = forest.start
    for tree in range(len(forest.feature)):
        node = 0
        while forest.left[tree, node] != node:
            left = row[forest.feature[tree, node]] <= forest.limit[tree, node]
            node = int(forest.left[tree, node] if left else forest.right[tree, node])
        total += float(forest.value[tree, node])
    return total


def rows(seed: int, count: int) -> np.ndarray:
    """Evidence of every kind, likely or not."""
    rng = np.random.default_rng(seed)
    return (rng.standard_normal((count, len(FEATURES))) * rng.choice([0.3, 3, 30], len(FEATURES))).astype(
        np.float32
    )


@pytest.mark.parametrize("material", list(Taught))
def test_side_by_side_the_trees_say_what_they_say_one_by_one(material: Taught) -> None:
    forest = forest_taught_on(material)
    features = rows(int(material), 300)
    wanted = [one_by_one(row, forest) for row in features]
    assert np.allclose(log_odds(features, forest), wanted, atol=1e-5)


@pytest.mark.parametrize("material", list(Taught))
@settings(max_examples=60)
@given(st.integers(0, 10_000), st.sampled_from(FOR + AGAINST), st.floats(0.01, 60))
def test_what_can_only_speak_one_way_never_speaks_the_other(
    material: Taught, seed: int, name: str, more: float
) -> None:
    features = rows(seed, 20)
    moved = features.copy()
    moved[:, FEATURES.index(name)] += np.float32(more)
    was, now = (stroke_probability(one, material) for one in (features, moved))
    assert (now >= was - 1e-12).all() if name in FOR else (now <= was + 1e-12).all()


def test_a_probability_is_one_and_nothing_asked_is_nothing_answered() -> None:
    found = stroke_probability(rows(1, 500), Taught.KIT)
    assert ((found >= 0) & (found <= 1)).all() and np.ptp(found) > 0.05
    assert stroke_probability(np.zeros((0, len(FEATURES)), np.float32), Taught.KIT).shape == (0,)


def test_sureness_is_brought_to_the_truth_by_piece_and_keeps_its_order() -> None:
    said = np.linspace(0.0, 1.0, 101)
    assert calibrated(said, "") == pytest.approx(said, abs=1e-5), "nothing is known of a piece without a name"
    for piece in ("kick", "snare", "hi-hat", "rack-tom", "floor-tom", "ride"):
        meant = calibrated(said, piece)
        assert np.all(np.diff(meant) > 0) and meant[0] < 0.01 and meant[-1] > 0.99
    np.testing.assert_array_equal(calibrated(said, "mid-tom"), calibrated(said, "rack-tom"))
