"""A file that arrives in a session: what it makes with those that are there, and what is kept of it."""

from __future__ import annotations

import numpy as np

from nubrak.desk.desk import Desk
from tests.conftest import decaying_strokes
from tests.desk.conftest import Drop


def test_both_halves_become_one_recording_of_two_channels(desk: Desk, session: str, drop: Drop) -> None:
    left = decaying_strokes([0.2, 0.8], [0.5, 0.4], 1.4)
    right = decaying_strokes([0.2, 0.8], [0.3, 0.5], 1.3, seed=8)
    drop(session, "OH L.wav", left)
    state = drop(session, "OH R.wav", right)
    ((_, source),) = state.document.sources.items()
    (clip,) = source.clips
    assert (clip.channels, source.name) == (2, "OH L+R.wav")
    both = desk.cache.decoded(clip.audio)
    assert len(both) == len(left)  # the shorter half ends in silence
    assert np.abs(both[:, 0] - left).max() < 2**-22
    assert np.abs(both[: len(right), 1] - right).max() < 2**-22 and not both[len(right) :, 1].any()


def test_microphones_on_one_piece_are_one_part(session: str, drop: Drop) -> None:
    strokes = decaying_strokes([0.2, 0.8], [0.5, 0.4], 1.4, hz=60)
    drop(session, "Kick In.wav", strokes)
    state = drop(session, "Kick Out.wav", 0.5 * strokes)
    ((_, part),) = state.document.parts.items()
    assert len(part.sources) == 2 and len(state.document.sources) == 2


def test_a_name_that_says_nothing_is_listened_to_and_silence_is_something_to_strike(
    session: str, drop: Drop
) -> None:
    state = drop(session, "take 07.wav", np.zeros(44100))
    (part,) = state.document.parts.values()
    assert part.piece == "else"
    (source,) = state.document.sources.values()
    assert source.guess is not None and "Neither" in source.guess.why


def test_a_take_goes_behind_what_is_there(desk: Desk, kick: tuple[str, str], drop: Drop) -> None:
    session, part_id = kick
    source_id = desk.sessions.get(session).document.parts[part_id].sources[0]
    drop(session, "more.wav", decaying_strokes([0.5], [0.7], 1.0, hz=60), source_id)
    decisions = desk.standing(session).decisions(part_id)
    assert np.allclose(decisions.time_s[decisions.counts], [0.25, 0.75, 1.25, 1.75, 2.7], atol=0.001)
