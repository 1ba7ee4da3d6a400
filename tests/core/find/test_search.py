"""Candidates and attacks, on strokes whose first sample is known."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.find.search import find_candidates
from tests.conftest import RATE_HZ, decaying_strokes

TIMES = [0.0, 0.31, 0.62, 0.655, 1.0, 1.4, 1.9, 2.37]
LEVELS = [0.8, 0.3, 0.1, 0.7, 0.05, 0.9, 0.4, 0.6]


def test_every_stroke_is_found_and_timed_to_a_third_of_a_millisecond() -> None:
    found = find_candidates(decaying_strokes(TIMES, LEVELS, 2.6), RATE_HZ)
    errors_ms = [1000 * np.abs(found.time_s - time_s).min() for time_s in TIMES]
    assert np.median(errors_ms) <= 0.3
    assert np.percentile(errors_ms, 95) <= 1.5


@pytest.mark.parametrize("rate_hz", [8000, 22050, 48000, 96000, 192000])
def test_the_time_does_not_depend_on_the_sample_rate(rate_hz: int) -> None:
    found = find_candidates(decaying_strokes([0.2, 0.7, 1.1], [0.8, 0.3, 0.5], 1.6, rate_hz), rate_hz)
    for time_s in (0.2, 0.7, 1.1):
        assert np.abs(found.time_s - time_s).min() < 0.001


def test_first_and_last_stroke_at_the_very_edges_are_found() -> None:
    signal = decaying_strokes([0.0, 0.995], [0.8, 0.8], 1.0)
    found = find_candidates(signal, RATE_HZ)
    assert found.time_s[0] < 0.001
    assert np.abs(found.time_s - 0.995).min() < 0.001


def test_nothing_is_invented_where_a_file_begins_or_ends_in_the_middle_of_sound() -> None:
    rng = np.random.default_rng(5)
    hiss = (0.1 * rng.standard_normal(RATE_HZ)).astype(np.float32)
    tone = (0.3 * np.sin(2 * np.pi * 80 * np.arange(RATE_HZ) / RATE_HZ + 1.0)).astype(np.float32)
    for signal in (hiss, tone):
        assert not len(find_candidates(signal, RATE_HZ)) or find_candidates(signal, RATE_HZ).rise_db.max() < 6


def test_silence_and_scraps_give_nothing() -> None:
    assert len(find_candidates(np.zeros(RATE_HZ, np.float32), RATE_HZ)) == 0
    assert len(find_candidates(np.ones(3, np.float32), RATE_HZ)) == 0


def test_a_loop_is_found_from_its_first_sample_on_over_what_its_end_still_rings() -> None:
    """Looked at closely, a signal may repeat: its end is what rang before its first stroke."""
    rng, rate_hz = np.random.default_rng(5), 44100
    t = np.arange(rate_hz) / rate_hz
    stroke = np.exp(-t / 0.15) * np.sin(2 * np.pi * 180 * t) + 0.3 * np.exp(-t / 0.01) * rng.standard_normal(
        rate_hz
    )
    loop = np.zeros(2 * rate_hz)
    for time_s in (0.0, 0.5, 1.0, 1.5):
        begin = round(time_s * rate_hz)
        end = loop[begin : begin + rate_hz]
        end += stroke[: len(end)]
        loop[: len(stroke) - len(end)] += stroke[len(end) :]
    found = find_candidates(loop.astype(np.float32), rate_hz, closely=True)
    for time_s in (0.0, 0.5, 1.0, 1.5):
        assert np.abs(found.time_s - time_s).min() < 0.003
    assert found.time_s.min() >= 0.0
