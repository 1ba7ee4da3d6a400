"""What is kept of every candidate: dark to bright, short to long."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.find import Candidates, combine_microphones, find_candidates, from_bytes, join, to_bytes
from nubrak.core.sort import SOUNDS, listen, sounding_of
from tests.core.sort.made import RATE_HZ, mixture


def kept(sound: str) -> Candidates:
    loop = mixture([(0.2, sound, 0.9)], 3.0)
    return listen(loop, find_candidates(loop, RATE_HZ, closely=True), RATE_HZ)


def first(found: Candidates) -> tuple[float, float]:
    told = sounding_of(found)
    assert told is not None
    row = int(np.abs(found.time_s - 0.2).argmin())
    return float(told.brightness_hz[row]), float(told.ring_s[row])


def test_dark_and_bright_short_and_long_are_told_in_their_order() -> None:
    places = {sound: first(kept(sound)) for sound in ("kick", "snare", "hat-closed", "hat-open", "crash")}
    assert places["kick"][0] < places["snare"][0] < places["hat-closed"][0]
    assert places["hat-closed"][1] < places["hat-open"][1] < places["crash"][1]


def test_what_is_kept_survives_bytes_joining_and_several_microphones() -> None:
    found = kept("snare")
    assert np.array_equal(from_bytes(to_bytes(found)).sounding, found.sounding)
    both = join([found, found], [0.0, 5.0])
    assert np.array_equal(both.sounding, np.concatenate([found.sounding, found.sounding]))
    two = combine_microphones([found, found])
    assert len(two.sounding) == len(two) and two.sounding.shape[1] > 2 * len(SOUNDS)


@pytest.mark.parametrize("other", ["plain", "empty"])
def test_where_one_was_not_listened_to_nothing_is_kept(other: str) -> None:
    plain = find_candidates(
        mixture([(0.2, "snare", 0.9)], 1.0) if other == "plain" else np.zeros(9, np.float32), RATE_HZ
    )
    assert sounding_of(plain) is None or not len(plain)
    joined = join([kept("snare"), plain], [0.0, 3.0])
    assert (sounding_of(joined) is None) == (other == "plain")
