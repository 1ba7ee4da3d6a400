"""Level of a stroke in its own band, in dBFS."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from nubrak.core.find.bands import within
from nubrak.core.find.candidates import Candidates
from nubrak.core.find.onset_power import onset_power_of
from nubrak.core.find.search import find_candidates
from nubrak.core.signal.level import power_to_db
from tests.conftest import RATE_HZ, decaying_strokes


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
