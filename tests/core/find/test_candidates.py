"""Candidates as columns: kept, and joined over the clips of a source."""

from __future__ import annotations

import numpy as np

from nubrak.core.find.candidates import from_bytes, join, no_candidates, to_bytes
from nubrak.core.find.search import find_candidates
from tests.conftest import RATE_HZ, decaying_strokes

TIMES = [0.0, 0.31, 0.62, 0.655, 1.0, 1.4, 1.9, 2.37]


LEVELS = [0.8, 0.3, 0.1, 0.7, 0.05, 0.9, 0.4, 0.6]


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
