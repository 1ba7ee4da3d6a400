"""Which of the sounds that a microphone repeats are the part's own."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from nubrak.core.decide.features import FEATURES
from nubrak.core.decide.own_sounds import against_own_sounds, own_sounds, sounds_own
from nubrak.core.spill.onsets import PartOnsets
from tests.core.spill.heard import heard

# Two sounds: four strokes are like the first, four like the second, and one like neither.
LIKE = np.array([[0.95, 0.2]] * 4 + [[0.3, 0.9]] * 4 + [[0.35, 0.4]], np.float32)
OWN = np.array([1.0, 1, 1, 0.2, 0, 0, 0, 0.1, 0])


def here(under: float = 0.0) -> PartOnsets:
    count = len(LIKE)
    times = np.arange(count) * 0.5
    part = heard(times, np.full(count, -12.0), "snare")
    there = np.zeros((count, 2), np.float32)
    there[:, 0] = under
    found = replace(
        part.candidates,
        similarity=LIKE,
        aligned_s=times[:, None] + np.array([0.001, -0.002]),
        similarity_under=there,
        aligned_under_s=times[:, None] + np.array([0.004, 0.004]),
        under_db=there - 10,
    )
    return replace(part, candidates=found)


def columns() -> dict[str, np.ndarray]:
    return {name: np.zeros(len(LIKE)) for name in FEATURES}


def test_a_sound_is_the_parts_own_where_most_that_are_like_it_are() -> None:
    mine, shares = own_sounds(here(), OWN)
    assert mine.tolist() == [True, False] and shares == pytest.approx([0.8, 0.025])


def test_what_sounds_own_is_believed_to_be_unless_it_is_more_like_another() -> None:
    assert sounds_own(here(), OWN).tolist() == [True] * 4 + [False] * 5


def test_each_begins_where_its_own_sound_begins_and_what_is_unlike_stays() -> None:
    out = columns()
    attack_s = against_own_sounds(here(), OWN, out)
    times = here().candidates.time_s
    assert attack_s[:4] == pytest.approx(times[:4] + 0.001) and attack_s[8] == times[8]
    assert out["similarity_own"][:4] == pytest.approx([0.95] * 4)
    assert out["similarity_other"] == pytest.approx(LIKE[:, 1].astype(float))
    assert (out["similarity_lead"] == out["similarity_own"] - out["similarity_other"]).all()
    assert out["group_share"][0] > 0.7 > 0.1 > out["group_share"][5]


def test_under_anothers_sound_what_is_left_speaks() -> None:
    out = columns()
    attack_s = against_own_sounds(here(under=0.8), OWN, out)
    covered = slice(4, 8)
    assert out["under_similarity_own"][covered] == pytest.approx([0.8] * 4, abs=1e-6)
    assert attack_s[covered] == pytest.approx(here().candidates.time_s[covered] + 0.004)
    assert not out["under_similarity_own"][:4].any()


def test_without_sounds_nothing_is_said() -> None:
    bare = heard(np.array([0.5, 1.0]), np.array([-10.0, -12.0]), "snare")
    out = {name: np.zeros(2) for name in FEATURES}
    assert np.array_equal(against_own_sounds(bare, np.ones(2), out), bare.candidates.time_s)
    assert sounds_own(bare, np.array([0.9, 0.1])).tolist() == [True, False]
