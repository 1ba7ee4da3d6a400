"""A stroke that sounds as another of the same recording did."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.mix import Mend, mended, touching

RATE_HZ = 8000
WHOLE = np.random.default_rng(3).standard_normal((4 * RATE_HZ, 2)).astype(np.float32)
MEND = Mend(time_s=1.0, from_s=2.5, length_s=0.4, found_s=1.0)
LEAD, RISE, FALL = 32, 24, 240  # of 4 ms, 3 ms and 30 ms


def recorded(start: int, frames: int) -> np.ndarray:
    out = np.zeros((frames, 2), np.float32)
    low, high = max(start, 0), min(start + frames, len(WHOLE))
    if low < high:
        out[low - start : high - start] = WHOLE[low:high]
    return out


def window(mends: list[Mend], start: int, frames: int) -> np.ndarray:
    return mended(recorded(start, frames), touching(mends, RATE_HZ, start, frames), recorded, RATE_HZ, start)


def test_from_the_attack_on_it_is_the_other_stroke_and_outside_nothing_changes() -> None:
    out = window([MEND], 0, len(WHOLE))
    begin, end = RATE_HZ - LEAD, RATE_HZ + round(0.4 * RATE_HZ)
    assert np.array_equal(out[:begin], WHOLE[:begin]) and np.array_equal(out[end:], WHOLE[end:])
    inner = slice(RATE_HZ - LEAD + RISE, end - FALL)
    moved = slice(inner.start + round(1.5 * RATE_HZ), inner.stop + round(1.5 * RATE_HZ))
    assert np.array_equal(out[inner], WHOLE[moved])
    assert np.array_equal(WHOLE, recorded(0, len(WHOLE))), "the recording itself is never changed"


def test_its_end_fades_at_one_power() -> None:
    # Noise into other noise: nowhere in the fade is it a dB softer or louder than before and after.
    seeds = [
        np.random.default_rng(k).standard_normal((4 * RATE_HZ, 1)).astype(np.float32) for k in range(200)
    ]
    power = np.zeros(FALL)
    for sound in seeds:
        out = mended(sound, [MEND], lambda a, n, sound=sound: sound[a : a + n], RATE_HZ, 0)
        end = RATE_HZ + round(0.4 * RATE_HZ)
        power += out[end - FALL : end, 0] ** 2 / len(seeds)
    blocks = 10 * np.log10(power.reshape(-1, 24).mean(axis=1))
    assert np.abs(blocks).max() < 1.0


@given(st.lists(st.integers(0, 4 * RATE_HZ), max_size=6), st.integers(0, 2))
def test_windows_join_to_the_whole(cuts: list[int], which: int) -> None:
    mends = [
        MEND,
        Mend(time_s=1.3, from_s=1.0, length_s=0.2, found_s=1.3),
        Mend(time_s=3.9, from_s=0.001, length_s=1.0, found_s=3.9),
    ][: which + 1]
    edges = sorted({0, len(WHOLE), *cuts})
    joined = [window(mends, a, b - a) for a, b in pairwise(edges)]
    assert np.array_equal(np.concatenate(joined), window(mends, 0, len(WHOLE)))


def test_where_the_other_stroke_is_not_there_it_stays_as_it_is() -> None:
    away = MEND.model_copy(update={"from_s": 60.0})
    assert np.array_equal(window([away], 0, len(WHOLE)), WHOLE)


def test_what_is_taken_is_as_it_was_recorded_not_as_it_was_mended() -> None:
    chain = [MEND, Mend(time_s=3.2, from_s=1.0, length_s=0.3, found_s=3.2)]
    out = window(chain, 0, len(WHOLE))
    inner = slice(round(3.2 * RATE_HZ), round(3.45 * RATE_HZ))
    assert np.array_equal(out[inner], WHOLE[RATE_HZ : RATE_HZ + inner.stop - inner.start])


@pytest.mark.parametrize("rate_hz", [8000, 44100, 96000])
def test_short_strokes_are_faded_over_a_part_of_themselves(rate_hz: int) -> None:
    short = MEND.model_copy(update={"length_s": 0.02})
    ones = np.ones((4 * rate_hz, 1), np.float32)
    out = mended(ones, [short], lambda a, n: np.zeros((n, 1), np.float32) + 2, rate_hz, 0)
    attack = rate_hz
    assert out[attack, 0] == 2.0 and out[attack + round(0.012 * rate_hz), 0] == 2.0
    assert 1.0 <= out[attack + round(0.0199 * rate_hz), 0] < 1.5
