"""Templates matched: a known sound is found to the sample whatever its gain, and another is told from it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.find.matching import BODY_MS, LEAD_MS, Templates, energies, match_templates
from nubrak.core.find.templates import templates_of
from nubrak.core.signal import ORDER
from tests.core.find.drum import RATE_HZ, drum_strokes

LEAD, BODY = (round(ms * RATE_HZ / 1000) for ms in (LEAD_MS, BODY_MS))


def bright(seed: int, decay: float = 500.0) -> np.ndarray:
    """Another drum: a burst of noise that falls to 1/e within so many samples."""
    rng = np.random.default_rng(77)
    burst = rng.standard_normal(3000) * np.exp(-np.arange(3000) / decay)
    return burst * (1 + 0.02 * np.random.default_rng(seed).standard_normal())


def recording(strokes: dict[int, np.ndarray], length: int) -> np.ndarray:
    mono = 1e-4 * np.random.default_rng(3).standard_normal(length)
    for at, sound in strokes.items():
        mono[at : at + len(sound)] += sound[: length - at]
    return mono.astype(np.float32)


def sound_of(stroke: np.ndarray) -> Templates:
    head = np.concatenate([np.zeros(ORDER + LEAD), stroke[:BODY]])
    return Templates((head / np.abs(head).max())[None], np.zeros(8, np.int64))


@settings(max_examples=20)
@given(st.integers(-200, 200), st.floats(-20, 6))
def test_a_known_sound_is_put_on_its_attack_whatever_its_gain(off: int, gain_db: float) -> None:
    at = 20000
    mono = recording({at: 0.3 * 10 ** (gain_db / 20) * drum_strokes(1)}, 40000)
    found = match_templates(mono, np.array([at + off]), sound_of(drum_strokes(1)), RATE_HZ)
    assert found.attack_s[0, 0] * RATE_HZ == pytest.approx(at, abs=2)
    assert found.similarity[0, 0] > 0.9


def test_likeness_tells_the_drum_from_another() -> None:
    mono = recording({10000: 0.3 * drum_strokes(1), 30000: 0.3 * bright(1)}, 50000)
    found = match_templates(mono, np.array([10000, 30000]), sound_of(drum_strokes(2)), RATE_HZ)
    assert found.similarity[0, 0] > 0.9 > 0.5 > found.similarity[1, 0]


def test_a_soft_stroke_under_anothers_sound_is_seen_once_that_is_taken_off() -> None:
    loud, soft = 0.4 * bright(1, 50.0), 0.04 * drum_strokes(1)
    at, later = 20000, 20000 + round(0.006 * RATE_HZ)
    mono = recording({at: loud, later: soft}, 50000)
    heads = np.concatenate([sound_of(bright(2, 50.0)).heads, sound_of(drum_strokes(2)).heads])
    found = match_templates(mono, np.array([at]), Templates(heads, np.zeros(8, np.int64)), RATE_HZ)
    assert found.similarity[0].argmax() == 0
    assert found.attack_under_s[0, 1] * RATE_HZ == pytest.approx(later, abs=20)


def test_nothing_matches_where_there_are_no_sounds_or_no_candidates() -> None:
    none = Templates(np.zeros((0, ORDER + LEAD + BODY)), np.zeros(8, np.int64))
    mono = recording({}, 5000)
    assert match_templates(mono, np.array([1000, 2000]), none, RATE_HZ).similarity.shape == (2, 0)
    sounds = sound_of(drum_strokes(1))
    assert match_templates(mono, np.zeros(0, np.int64), sounds, RATE_HZ).attack_s.shape == (0, 1)


@given(st.integers(1, 40), st.integers(1, 30))
def test_energies_are_sums_of_squares(width: int, lags: int) -> None:
    rows = np.random.default_rng(width).standard_normal((3, width + lags)).astype(np.float32)
    wanted = [[float((row[lag : lag + width] ** 2).sum()) for lag in range(lags)] for row in rows]
    assert np.allclose(energies(rows, width, lags), wanted, rtol=1e-4)


def test_a_source_gathers_the_sounds_it_repeats_and_times_them() -> None:
    strokes = {4000 + 16000 * n: 0.3 * (drum_strokes(n) if n % 2 else bright(n)) for n in range(12)}
    attacks = np.array(list(strokes))
    mono = recording(strokes, 200000)
    level, before = np.full(12, -12.0), np.full(12, -60.0)
    sounds, found = templates_of(mono, attacks, level, before, RATE_HZ)
    assert len(sounds.heads) == 2
    best = found.similarity.argmax(axis=1)
    assert len(set(best[::2])) == 1 and len(set(best[1::2])) == 1 and best[0] != best[1]
    own = found.attack_s[np.arange(12), best] * RATE_HZ
    assert np.abs(own - attacks).max() <= 6
