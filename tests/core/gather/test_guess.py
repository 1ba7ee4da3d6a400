"""What a recording is, told by its sound; and that the name is asked first."""

from __future__ import annotations

import numpy as np
import pytest

from nubrak.core.find.candidates import Candidates, join
from nubrak.core.find.search import find_candidates
from nubrak.core.gather.guess import LEAST_STROKES, guess_from_sound, guess_piece, spectral_shape
from nubrak.core.pieces.catalogue import PIECES
from nubrak.demo import room
from nubrak.demo.score import act_one
from tests.conftest import RATE_HZ, decaying_strokes


@pytest.fixture(scope="module")
def recorded() -> dict[str, Candidates]:
    sounds = room.record([one for one in act_one() if one.time_s < 11], RATE_HZ, 12.0)
    return {name: find_candidates(sounds[name], RATE_HZ) for name in ("kick", "hi-hat")}


def test_the_microphones_of_the_demo_are_known_by_their_sound(recorded: dict[str, Candidates]) -> None:
    for name, candidates in recorded.items():
        guess = guess_from_sound(candidates)
        assert guess is not None and guess.piece == name
        assert 0 < guess.sure <= 1 and PIECES[guess.piece].name.lower() in guess.why


def test_the_shape_does_not_depend_on_the_gain() -> None:
    audio = decaying_strokes([0.3, 0.8, 1.3], [0.5, 0.4, 0.6], 2.0, hz=60)
    one, other = (
        spectral_shape(find_candidates((gain * audio).astype(np.float32), RATE_HZ)) for gain in (1.0, 0.1)
    )
    assert one is not None and other is not None
    bands = len(one) // 2
    heard = np.tile(np.minimum(one, other)[:bands] > -1.5, 2)  # what is under the quietest kept says nothing
    assert heard.sum() > 40 and np.allclose(one[heard], other[heard], atol=0.06)


def test_too_few_strokes_tell_nothing() -> None:
    nothing = find_candidates(np.zeros(RATE_HZ, np.float32), RATE_HZ)
    single = join([find_candidates(decaying_strokes([0.3], [0.5], 0.5), RATE_HZ)], [0.0])
    for heard in (nothing, single):
        assert len(heard) < LEAST_STROKES and guess_from_sound(heard) is None


def test_a_name_that_speaks_is_believed_without_listening(recorded: dict[str, Candidates]) -> None:
    def never() -> Candidates:
        raise AssertionError("listened though the name says it")

    assert guess_piece("Snare Top.wav", never).piece == "snare"
    assert guess_piece("take 07.wav", lambda: recorded["kick"]).piece == "kick"
    nothing = guess_piece("take 07.wav", lambda: find_candidates(np.zeros(9000, np.float32), RATE_HZ))
    assert nothing.piece == "else" and nothing.sure == 0
