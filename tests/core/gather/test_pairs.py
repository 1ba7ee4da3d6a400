"""Sides of a stereo pair, and microphones on two drums, by what they hear of a made kit."""

from __future__ import annotations

from functools import lru_cache
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from nubrak.core.gather.pairs import WIDEST_PAIR_DB, WIDEST_PAIR_OF_A_DRUM_DB, sides_apart_db
from nubrak.demo.room import record
from nubrak.demo.score import BPM, LEAD_S, act_one
from tests.plain_strokes import STROKES

RATE_HZ = 44100


@lru_cache(maxsize=1)
def kit() -> dict[str, NDArray[np.float32]]:
    return record(act_one(bars=9), RATE_HZ, LEAD_S + 9 * 4 * 60 / BPM + 2, drums=STROKES)


def test_overheads_are_a_pair_and_close_microphones_are_none() -> None:
    sides = kit()["overhead left"], kit()["overhead right"]
    apart_db = sides_apart_db(*sides, RATE_HZ)
    assert apart_db is not None and apart_db <= WIDEST_PAIR_DB
    close = [name for name in kit() if not name.startswith("overhead")]
    assert len(close) >= 3
    for first, second in combinations(close, 2):
        found = sides_apart_db(kit()[first], kit()[second], RATE_HZ)
        assert found is not None and found > WIDEST_PAIR_OF_A_DRUM_DB, (first, second)


@given(st.floats(-40, 20), st.floats(-40, 20))
def test_gains_make_no_difference(left_db: float, right_db: float) -> None:
    left, right = kit()["overhead left"], kit()["overhead right"]
    wanted = sides_apart_db(left, right, RATE_HZ)
    louder = [np.float32(10 ** (db / 20)) * one for db, one in ((left_db, left), (right_db, right))]
    assert sides_apart_db(*louder, RATE_HZ) == pytest.approx(wanted, abs=0.05)
    assert sides_apart_db(louder[1], louder[0], RATE_HZ) == pytest.approx(wanted, abs=0.05)


def test_silence_and_scraps_say_nothing() -> None:
    sound = kit()["kick"]
    assert sides_apart_db(sound, np.zeros_like(sound), RATE_HZ) is None
    assert sides_apart_db(sound[:10], sound[:10], RATE_HZ) is None
