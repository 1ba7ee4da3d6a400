"""Which sounds suit: likeness orders sounds as they were made, words say what is different, levels come out
as asked.
"""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.layer.level_match import level_under
from nubrak.core.layer.likeness import added_db, apart_db, difference_in_words, profile
from nubrak.core.layer.lock import Sounding

RATE = 44100


def drum(hz: float, decay_s: float, noise: float = 0.0, seed: int = 0) -> np.ndarray:
    t = np.arange(round(0.9 * RATE)) / RATE
    rng = np.random.default_rng(seed)
    body = np.sin(2 * np.pi * hz * t) * np.exp(-t / decay_s) + noise * rng.standard_normal(len(t)) * np.exp(
        -t / 0.03
    )
    return (0.3 * body).astype(np.float32)


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


@pytest.mark.parametrize("under", [0.0, 6.0, 17.0])
def test_a_layer_is_measured_as_far_under_its_recording_as_it_was_put(under: float) -> None:
    stroke = drum(120, 0.1, 0.2)
    hits = np.arange(1, 9) * RATE // 2 + 1000
    recording = np.zeros(6 * RATE, np.float32)
    for number, hit in enumerate(hits.tolist()):
        recording[hit : hit + len(stroke)] += stroke * (0.3 + 0.1 * number)
    gains = 0.3 + 0.1 * np.arange(8)
    quieter = (stroke * 10 ** (-under / 20)).astype(np.float32)
    assert level_under(recording, hits, [Sounding(quieter, 0, np.arange(8), gains)], RATE) == pytest.approx(
        under, abs=0.05
    )
    assert (
        level_under(np.zeros(6 * RATE, np.float32), hits, [Sounding(quieter, 0, np.arange(8), gains)], RATE)
        is None
    )
