"""A piece's own share of the sound where others are struck with it."""

from __future__ import annotations

import numpy as np

from nubrak.core.sort import SOUNDS, Sorted, own_share_db
from nubrak.core.sort.listening import Sounding

KICK, HAT = SOUNDS.index("kick"), SOUNDS.index("hi-hat/closed")


def told(struck: list[tuple[int, ...]], level_db: list[dict[int, float]]) -> Sorted:
    probability, level = np.zeros((len(struck), len(SOUNDS))), np.full((len(struck), len(SOUNDS)), -60.0)
    for row, (sounds, levels) in enumerate(zip(struck, level_db, strict=True)):
        probability[row, list(sounds)] = 0.99
        for sound, db in levels.items():
            level[row, sound] = db
    none = np.zeros((len(struck), 0))
    return Sorted(
        probability, level, Sounding(none, none, np.zeros(len(struck)), np.zeros(len(struck)), none)
    )


def test_what_stands_alone_is_measured_and_what_lies_over_is_its_share() -> None:
    sort = told(
        [(HAT,), (HAT,), (HAT,), (HAT, KICK)],
        [{HAT: -20.0}, {HAT: -26.0}, {HAT: -32.0}, {HAT: -26.0, KICK: 0.0}],
    )
    measured = np.array([-30.0, -36.0, -42.0, -12.0])
    share = own_share_db(sort, ("hi-hat/closed",), "hi-hat", measured)
    assert np.allclose(share[:3], measured[:3])
    assert np.isclose(share[3], -36.0), "as loud as the second hat, not as the kick"


def test_a_share_is_never_louder_than_the_whole() -> None:
    sort = told([(HAT, KICK)], [{HAT: -3.0, KICK: 0.0}])
    assert own_share_db(sort, ("hi-hat/closed",), "hi-hat", np.array([-25.0]))[0] == -25.0
