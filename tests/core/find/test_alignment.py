"""The attack of a template, told by all strokes that share it."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.find.alignment import attack_of_template
from tests.core.find.drum import RATE_HZ, drum_strokes


def laid(rings: float, strokes: int = 24, seed: int = 4) -> tuple[np.ndarray, np.ndarray]:
    """Strokes of a drum over something that rings, and where each begins."""
    rng = np.random.default_rng(seed)
    mono = rings * rng.standard_normal(RATE_HZ * 12)
    begins = 8000 + 20000 * np.arange(strokes) + rng.integers(0, 4000, strokes)
    for number, at in enumerate(begins):
        sound = 0.4 * drum_strokes(number)
        mono[at : at + len(sound)] += sound
    return mono.astype(np.float32), begins


@pytest.mark.parametrize("late", [-40, -12, 0, 25, 90])
def test_strokes_that_begin_in_silence_say_where_the_attack_is(late: int) -> None:
    mono, begins = laid(1e-6)
    aligned = (begins - late).astype(np.float64)
    found = attack_of_template(mono, begins, aligned, np.ones(len(begins), np.float32), RATE_HZ)
    assert found == pytest.approx(late, abs=6)


def test_where_each_own_word_wanders_most_of_them_agree() -> None:
    mono, begins = laid(1e-6)
    own = begins.copy()
    own[:6] += np.array([300, -200, 250, -150, 180, -260])
    found = attack_of_template(mono, own, begins.astype(np.float64) - 30, np.ones(24, np.float32), RATE_HZ)
    assert found == pytest.approx(30, abs=6)


def test_over_a_ringing_the_average_shows_the_rise_that_no_stroke_shows_alone() -> None:
    mono, begins = laid(0.02)
    # alone they are told late, each where it has come out of the ringing
    own = begins + np.random.default_rng(1).integers(60, 400, len(begins))
    found = attack_of_template(mono, own, begins.astype(np.float64) - 20, np.ones(24, np.float32), RATE_HZ)
    assert abs(found - 20) < np.median(own - begins) - 20
