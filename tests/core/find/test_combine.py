"""Several microphones on one piece are one list of candidates."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from nubrak.core.find.candidates import Candidates
from nubrak.core.find.combine import combine_microphones
from tests.core.spill.heard import candidates


def test_two_microphones_on_one_piece_find_it_once_on_the_earlier() -> None:
    times = np.arange(20) * 0.5 + 0.1
    inside, outside = (
        candidates(times, np.full(20, -6.0)),
        candidates(times + 0.0021, np.full(20, -18.0), band=4),
    )
    alone = candidates(np.array([7.33]), np.array([-18.0]), band=4)
    both = combine_microphones([inside, _joined(outside, alone)])
    assert len(both) == 21 and np.all(np.diff(both.time_s) > 0)
    assert np.abs(both.time_s[np.isin(np.round(both.time_s, 4), np.round(times, 4))] - times).max() < 1e-9
    swapped = combine_microphones([outside, inside])
    assert np.allclose(swapped.time_s, times, atol=1e-9)
    lone = int(np.argmin(np.abs(both.time_s - 7.33)))
    level = 10 * np.log10(both.attack_power.sum(axis=1))
    assert level[lone] == pytest.approx(np.median(level) - 3.0, abs=0.2)  # half of the evidence
    assert len(combine_microphones([])) == 0 and combine_microphones([inside]) is inside


def _joined(one: Candidates, other: Candidates) -> Candidates:
    order = np.argsort(np.concatenate([one.time_s, other.time_s]))
    return Candidates(
        **{
            name: np.concatenate([getattr(one, name), getattr(other, name)])[order]
            for name in Candidates.__dataclass_fields__
            if name not in ("band_envelope", "sounding", "whole_power")
        }
    )


def test_what_was_taken_off_one_of_them_is_known_of_both() -> None:
    times = np.arange(0.5, 5.0, 0.5)
    inside, outside = candidates(times, np.full(9, -6.0)), candidates(times + 0.001, np.full(9, -6.0), band=4)
    both = combine_microphones([replace(inside, whole_power=4 * inside.attack_power), outside])
    # Half of the evidence is four times as loud as what is left of it, the other half as it was.
    assert np.allclose(both.whole_power.sum(axis=1), 2.5 * both.attack_power.sum(axis=1))
    assert not len(combine_microphones([inside, outside]).whole_power)
