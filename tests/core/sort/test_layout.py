"""Where strokes stand on the map, and the lines around groups."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import Delaunay

from nubrak.core.sort.layout import outline, placed
from nubrak.core.sort.listening import Sounding

USUAL_HZ = np.full(3, 500.0)


def sounding(bright_hz: list[float], ring_s: list[float]) -> Sounding:
    count = len(bright_hz)
    none = np.zeros((count, 0))
    return Sounding(none, np.array(bright_hz), np.array(ring_s), none)


def test_what_is_alone_stands_where_it_sounds() -> None:
    at = placed(
        sounding([100.0, 8000.0], [0.5, 0.05]),
        np.arange(2),
        np.ones(2, bool),
        np.array([0, 1]),
        np.full(2, 500.0),
    )
    assert np.all(np.abs(np.log2(at.brightness_hz / [100.0, 8000.0])) < 0.06)
    assert np.all(np.abs(np.log2(at.ring_s / [0.5, 0.05])) < 0.06)


def test_what_is_struck_together_stands_among_its_own() -> None:
    """A hat over a kick sounds dark as a moment; the hat stands with the hats."""
    heard = sounding([8000.0, 8200.0, 7900.0, 120.0], [0.05, 0.05, 0.05, 0.4])
    at = placed(
        heard, np.arange(4), np.array([True, True, True, False]), np.zeros(4, np.int64), np.full(4, 500.0)
    )
    assert at.brightness_hz[3] > 6000 and at.ring_s[3] < 0.08


def test_a_stroke_stays_where_it_was_when_another_changes_its_group() -> None:
    heard = sounding([100.0, 8000.0, 300.0], [0.5, 0.05, 0.2])
    before = placed(heard, np.arange(3), np.ones(3, bool), np.array([0, 1, 2]), USUAL_HZ)
    after = placed(heard, np.arange(3), np.ones(3, bool), np.array([0, 1, 0]), USUAL_HZ)
    assert np.array_equal(before.brightness_hz, after.brightness_hz)


@settings(max_examples=40)
@given(st.lists(st.tuples(st.floats(60, 15000), st.floats(0.02, 2.0)), min_size=1, max_size=30))
def test_an_outline_goes_round_the_middle_of_its_strokes(strokes: list[tuple[float, float]]) -> None:
    bright, ring = (np.array(column) for column in zip(*strokes, strict=True))
    corners = np.log2(outline(bright, ring))
    assert len(corners) >= 3
    middle = np.log2([[np.median(bright), np.median(ring)]])
    nearest = np.linalg.norm(np.log2(np.stack([bright, ring], 1)) - middle, axis=1).argmin()
    assert Delaunay(corners).find_simplex(np.log2([[bright[nearest], ring[nearest]]]))[0] >= 0


def test_one_stroke_far_away_does_not_swell_the_outline() -> None:
    bright = np.array([1000.0, 1010.0, 990.0, 1005.0, 995.0, 14000.0])
    corners = outline(bright, np.full(6, 0.1))
    assert corners[:, 0].max() < 3000


def test_a_sound_that_is_never_alone_stands_where_its_piece_usually_does() -> None:
    heard = sounding([120.0, 130.0, 3000.0], [0.4, 0.4, 0.1])
    alone, group = np.array([False, False, True]), np.array([0, 0, 1])
    at = placed(heard, np.arange(3), alone, group, np.array([6000.0, 6000.0, 3000.0]))
    assert np.all(at.brightness_hz[:2] > 4000)
