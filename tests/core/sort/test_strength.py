"""A piece's own share of the sound where others are struck with it."""

from __future__ import annotations

import numpy as np

from nubrak.core.sort import SOUNDS, Sorted, own_share_db
from nubrak.core.sort.listening import Sounding

KICK, HAT = SOUNDS.index("kick"), SOUNDS.index("hi-hat/closed")
HATS = ("hi-hat/closed",)


def told(*struck: tuple[int, ...]) -> Sorted:
    probability = np.zeros((len(struck), len(SOUNDS)))
    for row, sounds in enumerate(struck):
        probability[row, list(sounds)] = 0.99
    none = np.zeros((len(struck), 0))
    nothing = np.zeros(len(struck))
    return Sorted(probability, Sounding(none, nothing, nothing, none))


def test_what_stands_alone_is_measured_and_what_lies_over_by_its_own_band() -> None:
    sort = told((HAT,), (HAT,), (HAT,), (HAT, KICK))
    strength, band = np.array([-30.0, -36.0, -42.0, -12.0]), np.array([-32.0, -38.0, -44.0, -38.0])
    share = own_share_db(sort, HATS, strength, band)
    assert np.allclose(share[:3], strength[:3])
    assert np.isclose(share[3], -36.0), "as loud as the second hat, not as the kick"


def test_a_share_is_never_louder_than_the_whole() -> None:
    sort = told((HAT,), (HAT,), (HAT, KICK))
    share = own_share_db(sort, HATS, np.array([-10.0, -10.0, -25.0]), np.array([-20.0, -20.0, -26.0]))
    assert share[2] == -25.0


def test_where_it_never_stands_alone_its_band_speaks() -> None:
    assert own_share_db(told((HAT, KICK)), HATS, np.array([-6.0]), np.array([-31.0]))[0] == -31.0
