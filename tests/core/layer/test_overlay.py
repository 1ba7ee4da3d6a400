"""The overlay: hits laid over each other at their attack, each at one level."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.layer.overlay import AFTER_S, BEFORE_S, overlay
from tests.core.layer.drum import RATE, drum

HITS = np.array([10000, 40000, 70000])


def recording(gains: list[float]) -> np.ndarray:
    mono = np.zeros(120000, np.float32)
    for at, gain in zip(HITS, gains, strict=True):
        mono[at : at + 20000] += gain * drum(180, 0.08)[:20000]
    return mono


def test_strokes_of_any_strength_lie_on_each_other_and_begin_at_zero() -> None:
    found = overlay(recording([1.0, 0.1, 0.02]), HITS, drum(180, 0.08), 0, RATE)
    assert found.time_s[0] == pytest.approx(-BEFORE_S, abs=1e-4)
    assert found.time_s[-1] == pytest.approx(AFTER_S, abs=1e-4)
    assert np.allclose(found.low, found.high, atol=1e-5) and np.abs(found.median).max() == pytest.approx(1)
    assert not found.median[found.time_s < 0].any()
    # the layer is the same sound and lies exactly over them
    assert np.allclose(found.layer, found.median, atol=1e-5)


@pytest.mark.parametrize("begins", [-60, 35, 200])
def test_the_layer_is_drawn_where_it_begins(begins: int) -> None:
    there = overlay(recording([1, 1, 1]), HITS, drum(180, 0.08), 0, RATE).layer
    moved = overlay(recording([1, 1, 1]), HITS, drum(180, 0.08), begins, RATE).layer
    scale = np.abs(there).max() / np.abs(moved).max()
    if begins > 0:
        assert np.allclose(moved[begins:] / scale, there[:-begins] / scale, atol=0.3)
        assert not moved[: round(BEFORE_S * RATE) + begins].any()
    else:
        assert np.allclose(moved[:begins], there[-begins:], atol=0.3)
    assert np.corrcoef(np.roll(moved, -begins)[300:-300], there[300:-300])[0, 1] > 0.999


def test_half_of_the_strokes_lie_between_the_quartiles() -> None:
    mono = recording([0.5, 0.5, 0.5]) + 0.05 * np.random.default_rng(1).standard_normal(120000)
    found = overlay(mono.astype(np.float32), HITS, drum(180, 0.08), 0, RATE)
    assert (found.low <= found.median).all() and (found.median <= found.high).all()
    assert (found.high - found.low).mean() > 0.05


def test_no_hits_and_silence_are_flat_lines() -> None:
    silent = np.zeros(1000, np.float32)
    found = overlay(silent, HITS[:0], silent, 0, RATE)
    assert not found.median.any() and not found.layer.any() and len(found.median) == len(found.time_s)
    assert not overlay(silent, np.array([500]), silent, 0, RATE).median.any()
