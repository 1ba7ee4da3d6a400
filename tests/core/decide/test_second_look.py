"""Second look: the doubtful places worst first, one for each place, and what sounds like one of them."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.decide.second_look import WORTH_A_LOOK, places, similar_to
from nubrak.core.decide.settings import FindSettings, Mark
from nubrak.core.decide.states import Decisions
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, decide_alone
from tests.core.find.drum import RATE_HZ, drum_strokes

SOFT_S, LOUD_S = [1.0, 2.0, 3.0], [0.5, 1.5, 2.5, 3.5]


def part(marks: list[Mark] | None = None) -> PartInput:
    audio = 1e-5 * np.random.default_rng(2).standard_normal(round(4.2 * RATE_HZ))
    for number, (time_s, gain) in enumerate([(one, 0.4) for one in LOUD_S] + [(one, 0.1) for one in SOFT_S]):
        begin = round(time_s * RATE_HZ)
        sound = gain * drum_strokes(number)
        audio[begin : begin + len(sound)] += sound
    found = find_candidates(audio.astype(np.float32), RATE_HZ)
    return PartInput("Snare", "snare", found, FindSettings(), marks or [])


def with_doubt(decisions: Decisions, doubt: np.ndarray) -> Decisions:
    return Decisions(**{**decisions.__dict__, "doubt": doubt})


@given(st.integers(0, 2**32 - 1))
def test_places_come_worst_first_once_each_and_none_that_is_sure(seed: int) -> None:
    decisions = decide_alone(part())
    doubt = np.random.default_rng(seed).choice([0.0, 0.04, 0.05, 0.2, 0.5], len(decisions.time_s))
    listed = places({"p": with_doubt(decisions, doubt)})
    assert [one.doubt for one in listed] == sorted((one.doubt for one in listed), reverse=True)
    assert all(one.doubt >= WORTH_A_LOOK and one.doubt == doubt[one.index] for one in listed)
    times = np.sort([one.time_s for one in listed])
    assert (np.diff(times) > 0.012).all()
    for row in np.nonzero(doubt >= WORTH_A_LOOK)[0]:  # none is forgotten but for a worse one at its place
        at_place = [one for one in listed if abs(one.time_s - decisions.time_s[row]) <= 0.012]
        assert at_place and max(one.doubt for one in at_place) >= doubt[row]


def test_what_a_hand_has_decided_is_not_asked_again() -> None:
    decisions = decide_alone(part([Mark(kind="keep", time_s=1.0)]))
    listed = places({"p": with_doubt(decisions, np.full(len(decisions.time_s), 0.3))})
    assert listed and all(abs(one.time_s - 1.0) > 0.012 for one in listed)


def test_strokes_of_the_same_sound_and_decision_are_similar_and_added_ones_only_themselves() -> None:
    given_part = part([Mark(kind="add", time_s=3.8)])
    decisions = decide_alone(given_part)
    loud = int(np.abs(decisions.time_s - 0.5).argmin())
    like = similar_to(given_part.candidates, decisions, loud)
    assert loud in like and {0.5, 1.5, 2.5, 3.5} <= set(decisions.time_s[like].round(2))
    assert (decisions.counts[like] == decisions.counts[loud]).all()
    added = int(np.abs(decisions.time_s - 3.8).argmin())
    assert similar_to(given_part.candidates, decisions, added).tolist() == [added]
