"""What keeps step with another microphone's strokes, in time and in level, and what does not."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.spill.in_step import in_step_share
from tests.core.spill.heard import heard, kick_and_snare


def test_spill_keeps_step_and_own_strokes_do_not() -> None:
    session = kick_and_snare()
    kick, snare = session["kick"], session["snare"]
    share = in_step_share(snare, kick, kick.level_db > -20)
    spill = snare.level_db < -20
    assert share[spill].min() > 0.6 and share[~spill].max() < 0.1


def test_gain_polarity_of_time_and_order_change_nothing() -> None:
    session = kick_and_snare()
    kick, snare = session["kick"], session["snare"]
    strokes = kick.level_db > -20
    louder = heard(snare.candidates.time_s + 7.0, snare.level_db - 6.0, "snare")
    later = heard(kick.candidates.time_s + 7.0, kick.level_db, "kick")
    np.testing.assert_allclose(
        in_step_share(louder, later, strokes), in_step_share(snare, kick, strokes), atol=0.15
    )


@pytest.mark.parametrize("count", [0, 5])
def test_too_few_strokes_say_nothing(count: int) -> None:
    session = kick_and_snare()
    few = np.arange(len(session["kick"].level_db)) < count
    assert not in_step_share(session["snare"], session["kick"], few).any()
    assert not len(in_step_share(heard(np.zeros(0), np.zeros(0), "x"), session["kick"], few))
