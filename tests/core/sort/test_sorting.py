"""Known mixtures sorted: each moment's pieces, what must not change them."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pytest
from numpy.typing import NDArray

from nubrak.core.find import find_candidates
from nubrak.core.sort import PIECES_TOLD, SOUNDS, Sorted, listen, piece_of, pieces_in, sort_moments
from nubrak.core.sort.sorting import one_of_a_kind, without_shadows
from tests.core.sort.made import RATE_HZ, beat, mixture


def sorted_out(loop: NDArray[np.float32]) -> tuple[NDArray[np.float64], Sorted]:
    found = listen(loop, find_candidates(loop, RATE_HZ, closely=True), RATE_HZ)
    told = sort_moments(found)
    assert told is not None
    return found.time_s, told


@lru_cache(maxsize=1)
def the_beat() -> tuple[NDArray[np.float64], Sorted]:
    return sorted_out(mixture(beat(), 4.0))


def struck(of: tuple[NDArray[np.float64], Sorted], piece: str) -> NDArray[np.float64]:
    time_s, told = of
    return time_s[told.only(tuple(one for one in told.sounds if piece_of(one) == piece)).counts_as() > 0.5]


@pytest.mark.parametrize(("piece", "sound"), [("kick", "kick"), ("snare", "snare"), ("hi-hat", "hat-closed")])
def test_a_plain_beat_is_told_apart(piece: str, sound: str) -> None:
    wanted = np.array([time_s for time_s, of, _ in beat() if of == sound])
    found = struck(the_beat(), piece)
    right = np.abs(found[:, None] - wanted[None]).min(axis=0) < 0.025
    assert right.mean() >= 0.9 and len(found) <= 1.1 * len(wanted)


def test_a_loop_contains_what_it_contains() -> None:
    assert {one.piece for one in pieces_in(the_beat()[1])} >= {"kick", "snare", "hi-hat"}
    assert len(pieces_in(the_beat()[1])) <= 4


def test_gain_changes_no_piece() -> None:
    _, told = sorted_out(np.float32(0.1) * mixture(beat(), 4.0))
    assert np.abs(told.probability - the_beat()[1].probability).max() < 0.02


def test_only_some_sounds_leave_the_others_out() -> None:
    own = the_beat()[1].only(("kick",))
    assert np.array_equal(own.of_any(), the_beat()[1].of_piece("kick"))
    assert all(not own.of_piece(piece).any() for piece in PIECES_TOLD if piece != "kick")


@pytest.mark.parametrize("loop", [np.zeros(44100, np.float32), np.zeros(50, np.float32)])
def test_silence_holds_nothing(loop: NDArray[np.float32]) -> None:
    time_s, told = sorted_out(loop)
    assert not len(time_s) and pieces_in(told) == []


def test_what_was_not_listened_to_is_not_sorted() -> None:
    loop = mixture(beat(1), 2.0)
    assert sort_moments(find_candidates(loop, RATE_HZ)) is None


def test_a_snare_or_a_clap_is_the_likelier_as_surely_as_it_is_either() -> None:
    probability = np.zeros((3, len(SOUNDS)))
    snare, clap, kick = (SOUNDS.index(sound) for sound in ("snare", "clap", "kick"))
    probability[0, [snare, clap, kick]] = 0.5, 0.4, 0.3
    probability[1, [snare, clap]] = 0.9, 0.8
    found = one_of_a_kind(probability)
    assert found[0, snare] == pytest.approx(1 - 0.5 * 0.6) and found[0, clap] < 0.35
    assert found[0, kick] == 0.3, "what is not of the kind stays"
    assert found[1, clap] == 0.8, "both, where both are sure"
    assert not found[2].any()


@pytest.mark.parametrize(("sure", "alone", "counts"), [(0.5, 0, False), (0.5, 2, True), (0.9, 0, True)])
def test_what_is_never_sure_and_never_without_another_is_its_shadow(
    sure: float, alone: int, counts: bool
) -> None:
    probability = np.zeros((12, len(SOUNDS)))
    probability[:10, SOUNDS.index("hi-hat/closed")] = 0.95
    shaker = SOUNDS.index("shaker")
    probability[:6, shaker] = probability[10 : 10 + alone, shaker] = sure
    found = without_shadows(probability)
    assert (found[0, shaker] > 0.35) == counts
    assert np.array_equal(np.delete(found, shaker, axis=1), np.delete(probability, shaker, axis=1))
