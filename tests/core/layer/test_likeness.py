"""Which sounds suit: likeness orders sounds as they were made, words say what is different, levels come out
as asked.
"""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.layer.likeness import added_db, apart_db, difference_in_words, profile
from tests.core.layer.drum import RATE, drum


def test_the_same_drum_is_nearest_and_a_change_twice_as_large_is_farther() -> None:
    recorded = profile(np.stack([drum(60, 0.1, 0.1, seed) for seed in range(8)]), RATE)
    same, near, far, other = (
        profile(one[None], RATE)
        for one in (
            drum(60, 0.1, 0.1, 99),
            drum(66, 0.12, 0.1, 99),
            drum(90, 0.2, 0.1, 99),
            drum(400, 0.02, 0.8, 99),
        )
    )
    distance = [apart_db(recorded, one) for one in (same, near, far, other)]
    assert distance == sorted(distance) and distance[0] < 2.0


def test_words_say_where_and_how_long() -> None:
    recorded = profile(drum(180, 0.08, 0.2)[None], RATE)
    deeper = difference_in_words(recorded, profile(drum(50, 0.08, 0.2)[None], RATE))
    assert "more below 80 Hz" in deeper and "less from 80 Hz to" in deeper
    longer = profile(drum(180, 0.2, 0.2)[None], RATE)
    # A decay of 0.12 s more of the exponential takes ln(10) times that longer to fall 20 dB.
    said = difference_in_words(recorded, longer)
    assert "longer" in said and float(said.split(" ms")[0].split()[-1]) == pytest.approx(
        1000 * 0.12 * np.log(10), rel=0.35
    )
    assert difference_in_words(recorded, recorded) == "much the same"


def test_what_lies_beside_the_recording_adds_more_than_what_lies_on_it() -> None:
    recorded = profile(drum(180, 0.08)[None], RATE)
    assert added_db(recorded, profile(drum(50, 0.08)[None], RATE), 6.0) > added_db(recorded, recorded, 6.0)
    # A sound that is the same everywhere, 6 dB under, adds 10 log10(1 + 10 ** -0.6) everywhere.
    assert added_db(recorded, recorded, 6.0) == pytest.approx(10 * np.log10(1 + 10**-0.6), abs=0.05)
