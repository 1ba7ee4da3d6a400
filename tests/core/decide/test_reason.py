"""Reasons: one sentence for every state a candidate can be in, and no other words than it needs."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.decide.reason import clock, db, reason
from nubrak.core.decide.settings import FindSettings, Mark
from nubrak.core.decide.states import State
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, decide_part, weigh_all
from tests.conftest import RATE_HZ, decaying_strokes


def heard() -> dict[str, PartInput]:
    kick_s, snare_s = [0.5, 1.5, 2.5], [1.0, 2.0, 3.0]
    kick = decaying_strokes(kick_s, [0.8] * 3, 4.0, hz=60)
    snare = decaying_strokes(snare_s, [0.7] * 3, 4.0, hz=190, seed=9)
    late = np.concatenate([np.zeros(130, np.float32), kick])[: len(kick)]
    marks = [
        Mark(kind="drop", time_s=2.0),
        Mark(kind="keep", time_s=3.0, to_s=3.002),
        Mark(kind="add", time_s=3.6),
    ]
    sounds = {"kick": kick, "snare": snare + 0.05 * late}
    found = {key: find_candidates(sound.astype(np.float32), RATE_HZ) for key, sound in sounds.items()}
    return {
        "kick": PartInput("Kick", "kick", found["kick"], FindSettings(), []),
        "snare": PartInput("Snare", "snare", found["snare"], FindSettings(hold_off_ms=40), marks),
    }


def test_every_candidate_of_a_session_says_in_one_sentence_whether_it_counts() -> None:
    parts = heard()
    weighed = weigh_all(parts)
    seen = set()
    for key, part in parts.items():
        for span_s in (None, (0.9, 2.2)):
            decisions = decide_part(part, weighed.evidence[key], weighed.stroke_probability[key], span_s)
            for row in range(len(decisions.time_s)):
                text = reason(decisions, row, weighed.evidence[key], part.name.lower(), {"kick": "Kick"})
                seen.add(State(int(decisions.state[row])))
                begins = "Counts: " if decisions.counts[row] else "Does not count: "
                assert text.startswith(begins) and text.endswith(".") and "nan" not in text
                assert text.count(". ") == 0 and "--" not in text and " -" not in text
    assert {State.HIT, State.KEPT, State.DROPPED, State.ADDED, State.OUTSIDE} <= seen


def test_spill_is_named_by_who_spills_and_moves_by_how_far() -> None:
    parts = heard()
    weighed = weigh_all(parts)
    decisions = decide_part(parts["snare"], weighed.evidence["snare"], weighed.stroke_probability["snare"])
    at = lambda time_s: int(np.abs(decisions.time_s - time_s).argmin())  # noqa: E731
    said = reason(decisions, at(0.503), weighed.evidence["snare"], "snare", {"kick": "Kick"})
    assert said.startswith("Does not count") and "what the kick spills here" in said
    assert "kept by hand, moved by" in reason(decisions, at(3.002))
    assert "added by hand at 0:03.600" in reason(decisions, at(3.6))


@pytest.mark.parametrize(
    ("seconds", "said"), [(0, "0:00.000"), (59.9994, "0:59.999"), (61.25, "1:01.250"), (3600, "60:00.000")]
)
def test_the_clock_counts_minutes(seconds: float, said: str) -> None:
    assert clock(seconds) == said


@given(st.floats(-120, 20))
def test_levels_have_one_digit_and_a_true_minus(level_db: float) -> None:
    said = db(level_db)
    assert "-" not in said and abs(float(said.replace("−", "-")) - level_db) <= 0.0501
