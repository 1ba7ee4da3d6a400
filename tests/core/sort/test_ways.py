"""How a piece was struck by its own microphone: only its own ways are weighed; plain unless surely not."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.sort import SOUNDS, ways_by_own_microphone
from nubrak.core.sort.listening import Sounding


def sounding(*moments: dict[str, float]) -> Sounding:
    log_odds = np.full((len(moments), len(SOUNDS)), -4.0)
    for row, told in enumerate(moments):
        for sound, odds in told.items():
            log_odds[row, SOUNDS.index(sound)] = odds
    nothing = np.zeros(len(moments))
    return Sounding(log_odds, nothing, nothing, np.zeros((len(moments), 0)))


def test_the_likeliest_way_is_told_whatever_else_is_heard() -> None:
    heard = sounding(
        {"hi-hat/open": 2.0, "hi-hat/closed": -1.0},
        {"hi-hat/closed": 1.0, "kick": 6.0},
        {"hi-hat/pedal": -0.5, "snare": 4.0},
        {"hi-hat/half": 3.0},
    )
    assert ways_by_own_microphone(heard, "hi-hat") == ["open", "closed", "pedal", "half"]


def test_what_is_about_as_likely_as_plain_is_plain() -> None:
    heard = sounding({"snare/side": -1.0, "snare": -0.9}, {"snare/side": 3.0, "snare": -3.0})
    assert ways_by_own_microphone(heard, "snare") == ["centre", "side"]


@pytest.mark.parametrize("piece", ["kick", "cowbell", "else"])
def test_a_piece_of_one_way_has_nothing_to_tell(piece: str) -> None:
    assert ways_by_own_microphone(sounding({}), piece) == []
