"""The leak between microphones, learnt from what they hear together; several microphones on one piece;
alignment.
"""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.spill.leaks import learn_leak
from nubrak.core.spill.onsets import loud_first
from tests.core.spill.heard import heard, kick_and_snare


def test_level_and_delay_of_a_leak_are_measured_from_what_is_heard_together() -> None:
    session = kick_and_snare()
    strokes = loud_first(session)
    leak = learn_leak(session["kick"], session["snare"], strokes["kick"], strokes["snare"])
    assert leak is not None
    assert leak.own_level_db == pytest.approx(-19, abs=1) and leak.delay_s == pytest.approx(
        0.0029, abs=0.0003
    )
    back = learn_leak(session["snare"], session["kick"], strokes["snare"], strokes["kick"])
    assert back is not None and back.own_level_db == pytest.approx(-25, abs=1.5)


def test_a_microphone_moved_half_way_is_followed() -> None:
    rng = np.random.default_rng(8)
    times, level = np.arange(200) * 0.3 + 0.1, rng.normal(-8, 1, 200)
    there = level - np.where(times < 30, 24, 15)
    kick, snare = heard(times, level, "kick"), heard(times + 0.003, there, "snare")
    leak = learn_leak(kick, snare, np.ones(200, bool), np.zeros(200, bool))
    assert leak is not None
    followed = leak.own_level_db + leak.local_db
    assert followed[20] == pytest.approx(-24, abs=1.5) and followed[-20] == pytest.approx(-15, abs=1.5)


def test_too_few_or_scattered_arrivals_teach_nothing() -> None:
    rng = np.random.default_rng(9)
    times = np.arange(80) * 0.5
    kick = heard(times, np.full(80, -8.0), "kick")
    never = heard(times + 0.2, np.full(80, -30.0), "x")
    scattered = heard(np.sort(times + rng.uniform(-0.005, 0.014, 80)), np.full(80, -30.0), "y")
    few = heard(times[:3] + 0.003, np.full(3, -30.0), "z")
    for other in (never, scattered, few):
        assert learn_leak(kick, other, np.ones(80, bool), np.zeros(len(other.level_db), bool)) is None
