"""What a recording is, told by its sound; and that the name is asked first."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from nubrak.core.find import find_candidates
from nubrak.core.gather import SURE, Heard, guess_from_sound, guess_in_company, guess_piece
from nubrak.core.pieces import PIECES
from nubrak.demo import room
from nubrak.demo.score import act_one
from tests.conftest import RATE_HZ, decaying_strokes
from tests.core.sort.made import beat, mixture


def heard(audio: NDArray[np.float32]) -> Heard:
    return audio, RATE_HZ, find_candidates(audio, RATE_HZ)


@pytest.fixture(scope="module")
def recorded() -> dict[str, Heard]:
    sounds = room.record([one for one in act_one() if one.time_s < 11], RATE_HZ, 12.0)
    return {name: heard(sounds[name]) for name in ("kick", "hi-hat")}


def test_the_microphones_of_the_demo_are_known_by_their_sound(recorded: dict[str, Heard]) -> None:
    for name, one in recorded.items():
        guess = guess_from_sound(one)
        assert guess is not None and guess.piece == name
        assert 0 < guess.sure <= 1 and PIECES[guess.piece].name.lower() in guess.why


def test_a_loop_is_no_single_drum() -> None:
    guess = guess_from_sound(heard(mixture(beat(), 4.0)))
    assert guess is not None and guess.piece in {"loop", "room"}


def test_a_click_that_is_even_as_a_machine_is_only_heard() -> None:
    t = np.arange(round(0.03 * RATE_HZ)) / RATE_HZ
    out = np.zeros(12 * RATE_HZ, np.float32)
    for k in range(20):
        at = round((0.1 + 0.5 * k) * RATE_HZ)
        out[at : at + len(t)] += (
            0.5 * np.sin(2 * np.pi * (1600 if k % 4 == 0 else 1000) * t) * np.exp(-t / 0.01)
        )
    guess = guess_from_sound(heard(out))
    assert guess is not None and guess.piece == "heard" and "click" in guess.why


@pytest.mark.parametrize("hz", [50, 60, 90])
def test_a_low_drum_that_a_machine_plays_is_no_click(hz: float) -> None:
    """An even kick is the commonest of all patterns, and a click is never low (common practice)."""
    even = decaying_strokes([0.1 + 0.5 * k for k in range(20)], [0.6] * 20, 10.5, hz=hz)
    guess = guess_from_sound(heard(even))
    assert guess is not None and "click" not in guess.why
    assert guess.piece == "kick" or (guess.asks and "kick" in {one.piece for one in guess.others})


def test_what_it_may_be_besides_is_said_where_it_is_not_sure(recorded: dict[str, Heard]) -> None:
    rng = np.random.default_rng(4)
    noise = decaying_strokes([0.3, 0.8, 1.3, 1.9], [0.5, 0.4, 0.6, 0.5], 2.5, hz=300, seed=9)
    for one in (heard(noise), heard((noise + 0.05 * rng.standard_normal(len(noise))).astype(np.float32))):
        guess = guess_from_sound(one)
        assert guess is not None
        assert guess.asks == (guess.sure < SURE)
        others = [other.sure for other in guess.others]
        assert others == sorted(others, reverse=True) and guess.sure + sum(others) <= 1.02
        # What may be struck is not left without notes until somebody answers.
        assert guess.piece != "heard" or not guess.asks
        assert guess.piece not in {other.piece for other in guess.others}
        assert {other.piece for other in guess.others} <= set(PIECES)


def test_beside_others_a_recording_is_a_microphone_of_the_kit(recorded: dict[str, Heard]) -> None:
    for name, one in recorded.items():
        alone = guess_from_sound(one)
        assert alone is not None and sum(alone.kinds.values()) == pytest.approx(1.0, abs=0.02)
        beside = guess_in_company(alone)
        assert beside.in_company and beside.kinds == alone.kinds and guess_in_company(beside) == beside
        assert beside.asks == (beside.sure < SURE)
        if alone.piece not in ("loop", "mouth"):
            assert beside.piece == alone.piece and beside.sure >= alone.sure, name
    said = guess_piece("snare.wav", lambda: None)
    assert guess_in_company(said) == said, "a name that speaks is believed"


def test_too_few_strokes_tell_nothing() -> None:
    silence = np.zeros(RATE_HZ, np.float32)
    single = decaying_strokes([0.3], [0.5], 0.5)
    for audio in (silence, single):
        assert guess_from_sound(heard(audio)) is None


def test_a_name_that_speaks_is_believed_without_listening(recorded: dict[str, Heard]) -> None:
    def never() -> Heard:
        raise AssertionError("listened though the name says it")

    assert guess_piece("Snare Top.wav", never).piece == "snare"
    assert guess_piece("take 07.wav", lambda: recorded["kick"]).piece == "kick"
    for nothing in (None, heard(np.zeros(9000, np.float32))):
        guess = guess_piece("take 07.wav", lambda one=nothing: one)
        assert guess.piece == "else" and guess.sure == 0
