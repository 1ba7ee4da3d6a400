"""Candidates and attacks, on strokes whose first sample is known."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from nubrak.core.find.attack import refine_attacks, snap
from nubrak.core.find.bands import within
from nubrak.core.find.candidates import Candidates, from_bytes, join, no_candidates, to_bytes
from nubrak.core.find.onset_power import onset_power_of
from nubrak.core.find.search import find_candidates
from nubrak.core.signal.level import power_to_db
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


def test_level_follows_the_published_definition_of_dbfs() -> None:
    # AES17: a full-scale sine reads 0 dBFS; a square wave at full scale +3.01 dB.
    sine = np.sin(2 * np.pi * 997 * np.arange(48000) / 48000)
    assert power_to_db(np.array([np.mean(sine**2)]))[0] == pytest.approx(0.0, abs=0.01)
    assert power_to_db(np.array([1.0]))[0] == pytest.approx(3.01, abs=0.01)


def level_in_band(found: Candidates, inside: NDArray[np.bool_]) -> NDArray[np.float64]:
    return power_to_db(onset_power_of(found)[:, inside].sum(axis=1, dtype=np.float64))


def test_twice_as_loud_is_six_decibels() -> None:
    found = find_candidates(decaying_strokes([0.3, 1.3], [0.3, 0.6], 2.0), RATE_HZ)
    at = [int(np.abs(found.time_s - t).argmin()) for t in (0.3, 1.3)]
    level = level_in_band(found, within(30, 18000))
    assert level[at[1]] - level[at[0]] == pytest.approx(6.0, abs=0.8)


def test_what_rings_in_another_band_does_not_count_towards_the_level() -> None:
    found = find_candidates(decaying_strokes([0.5], [0.8], 1.0, hz=60.0), RATE_HZ)
    row = int(np.abs(found.time_s - 0.5).argmin())
    assert level_in_band(found, within(30, 120))[row] > level_in_band(found, within(2000, 4000))[row] + 6


def test_candidates_survive_being_kept() -> None:
    found = find_candidates(decaying_strokes(TIMES, LEVELS, 2.6), RATE_HZ)
    again = from_bytes(to_bytes(found))
    assert np.array_equal(found.time_s, again.time_s) and np.array_equal(
        found.attack_power, again.attack_power
    )


def test_clips_join_in_order_of_time() -> None:
    one = find_candidates(decaying_strokes([0.2], [0.8], 0.6), RATE_HZ)
    joined = join([one, one], [5.0, 0.0])
    assert np.all(np.diff(joined.time_s) >= 0) and len(joined) == 2 * len(one)
    assert len(join([], [])) == len(no_candidates()) == 0


@settings(max_examples=25, deadline=None)
@given(offset=st.integers(0, 4000), gain_db=st.floats(-40, 0))
def test_an_attack_moves_with_the_sound_and_not_with_its_gain(offset: int, gain_db: float) -> None:
    signal = decaying_strokes([0.2], [0.8], 0.5)
    signal[: round(0.2 * RATE_HZ)] = 0
    moved = np.concatenate([np.zeros(offset, np.float32), signal]) * np.float32(10 ** (gain_db / 20))
    reference = refine_attacks(signal, np.array([round(0.2 * RATE_HZ) + 40]), RATE_HZ)[0]
    assert (
        refine_attacks(moved, np.array([round(0.2 * RATE_HZ) + 40 + offset]), RATE_HZ)[0]
        == reference + offset
    )


def test_a_hit_added_by_hand_snaps_to_the_attack_near_it() -> None:
    signal = decaying_strokes([0.5], [0.5], 1.0)
    assert snap(signal, 0.512, RATE_HZ, np.zeros(0)) == pytest.approx(0.5, abs=0.001)
    assert snap(signal, 0.505, RATE_HZ, np.array([0.5001])) == 0.5001
    assert snap(np.zeros(1000, np.float32), 0.01, RATE_HZ, np.zeros(0)) == 0.01
