"""The threshold that is suggested: in the gap under the softest stroke."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.decide.suggest import suggest_below, suggest_threshold


def test_the_suggestion_lies_in_the_gap_between_strokes_and_the_rest() -> None:
    rng = np.random.default_rng(2)
    strokes, rest = rng.normal(-10, 2, 200), rng.normal(-42, 4, 300)
    suggested = suggest_threshold(np.concatenate([strokes, rest]))
    assert rest.max() <= suggested.threshold_db <= strokes.min()
    assert suggested.gap_db > 5
    assert suggested.loudest_db == pytest.approx(-6, abs=2.5)


def test_ghost_strokes_stay_above_the_suggestion_when_nothing_lies_under_them() -> None:
    rng = np.random.default_rng(3)
    level = np.concatenate([rng.normal(-10, 1.5, 90), rng.normal(-26, 2, 70)])
    assert suggest_threshold(level).threshold_db < level.min()
    assert suggest_threshold(np.zeros(0)).gap_db == 0


def test_the_suggested_line_lies_under_the_softest_stroke_in_the_gap_to_the_rest() -> None:
    suggested = suggest_below(
        np.array([-10.0, -20.0, -31.0, -40.0]),
        np.array([True, True, False, False]),
        np.array([False, False, True, True]),
    )
    assert -31 < suggested.threshold_db < -20 and suggested.gap_db == 11.0
    nothing = suggest_below(np.array([-30.0]), np.array([False]), np.array([True]))
    assert nothing.threshold_db > -30
