"""A microphone beside others: its level, polarity and delay, to the sample and for every window."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from nubrak.core.mix import Microphone, moved, through_microphone
from tests.conftest import RATE_HZ
from tests.core.mix.made import stretch_of

SOUND = np.random.default_rng(4).standard_normal((4000, 2)).astype(np.float32)
plain = stretch_of(SOUND)


def test_as_it_is_it_changes_nothing() -> None:
    assert through_microphone(plain, Microphone(), RATE_HZ) is plain


def test_polarity_turns_it_round_and_a_level_is_its_gain() -> None:
    heard = through_microphone(plain, Microphone(polarity=-1, level_db=-6.0206), RATE_HZ)(0, 500)
    assert np.allclose(heard, -0.5 * SOUND[:500], atol=1e-5)
    for silent in (Microphone(on=False), Microphone(level_db=-60)):
        assert not through_microphone(plain, silent, RATE_HZ)(0, 500).any()


@given(
    delay_ms=st.floats(-20, 20),
    start=st.integers(-50, 3000),
    frames=st.integers(1, 900),
    cut=st.integers(0, 900),
)
def test_a_delay_is_whole_samples_and_windows_join(
    delay_ms: float, start: int, frames: int, cut: int
) -> None:
    heard = through_microphone(plain, Microphone(delay_ms=delay_ms), RATE_HZ)
    by = round(delay_ms * RATE_HZ / 1000)
    assert np.array_equal(heard(start, frames), plain(start - by, frames))
    cut = min(cut, frames)
    joined = np.concatenate([heard(start, cut), heard(start + cut, frames - cut)])
    assert np.array_equal(joined, heard(start, frames))


@pytest.mark.parametrize("delay_ms", [0.0, 1.3, -2.7])
def test_a_whole_recording_is_moved_as_its_windows_are(delay_ms: float) -> None:
    one = Microphone(delay_ms=delay_ms, polarity=-1, level_db=-3)
    assert np.allclose(
        moved(SOUND, one, RATE_HZ), through_microphone(plain, one, RATE_HZ)(0, len(SOUND)), atol=1e-6
    )


def test_further_than_twenty_milliseconds_is_no_microphone_on_a_drum() -> None:
    with pytest.raises(ValidationError):
        Microphone(delay_ms=20.5)
