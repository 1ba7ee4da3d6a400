"""The leak between microphones, learnt from what they hear together; several microphones on one piece;
alignment.
"""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.spill.leaks import learn_leak
from nubrak.core.spill.onsets import PartOnsets, loud_first
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


def two_toms(
    hands_ms: float, spilt_db: float = -26.0, spread_db: float = 0.5
) -> tuple[PartOnsets, PartOnsets, int]:
    """Two toms and what the first one's microphone hears: own strokes, and after each of the other's 40
    strokes something that sounds like its own; how many of its candidates are its own strokes.
    """
    rng = np.random.default_rng(11)
    there_s, there_db = 1.0 + np.arange(40) * 0.4, rng.normal(-10, 3, 40)
    late_s = 0.0009 + rng.normal(0, hands_ms / 1000, 40)
    own_s, own_db = 1.2 + np.arange(40) * 0.4, rng.normal(-9, 3, 40)
    time_s = np.concatenate([there_s + late_s, own_s])
    level_db = np.concatenate([there_db + spilt_db + rng.normal(0, spread_db, 40), own_db])
    order = np.argsort(time_s)
    return heard(there_s, there_db, "mid"), heard(time_s[order], level_db[order], "high"), 40


def test_what_keeps_step_with_another_drum_is_its_spill_however_alike_they_sound() -> None:
    mid, high, _ = two_toms(hands_ms=0.05)
    everything = np.ones(80, bool)  # all of it sounds like the drum's own
    leak = learn_leak(mid, high, np.ones(40, bool), everything)
    assert leak is not None and leak.delay_s == pytest.approx(0.0009, abs=0.0002)
    assert leak.own_level_db == pytest.approx(-26, abs=1)
    assert leak.spread_db == pytest.approx([0.7] * 3, abs=0.5)


@pytest.mark.parametrize("how", [{"hands_ms": 4.0}, {"spilt_db": 0.0}, {"spread_db": 8.0}])
def test_two_hands_that_strike_together_are_no_spill(how: dict[str, float]) -> None:
    mid, high, _ = two_toms(**({"hands_ms": 0.05} | how))
    assert learn_leak(mid, high, np.ones(40, bool), np.ones(80, bool)) is None


def test_arrivals_that_vary_have_a_wide_spread() -> None:
    mid, high, _ = two_toms(hands_ms=0.05, spread_db=3.0)
    leak = learn_leak(mid, high, np.ones(40, bool), high.level_db > -20)
    assert leak is not None and leak.spread_db[1] == pytest.approx(3.0, abs=1.2)
