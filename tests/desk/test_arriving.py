"""A file that arrives in a session: what it makes with those that are there, and what is kept of it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from nubrak.core.gather import inspect
from nubrak.core.problem import Problem
from nubrak.core.session.gather_edits import AsTwo
from nubrak.desk.arriving import arrive, pair
from nubrak.desk.desk import Desk
from nubrak.desk.overview import overview_of
from nubrak.store.audio import put_audio
from nubrak.store.sessions import SessionState
from tests.conftest import decaying_strokes, write_wav
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


def _beats(offset_s: float, hz: float, seed: int) -> np.ndarray:
    return decaying_strokes([offset_s + 0.5 * k for k in range(10)], [0.6] * 10, 6.0, hz=hz, seed=seed)


def test_files_dropped_together_are_one_step_of_undo(desk: Desk, session: str, tmp_path: Path) -> None:
    def come(name: str, sound: np.ndarray, drop: str) -> SessionState:
        path = write_wav(tmp_path / name, sound)
        facts = inspect(path, name)
        audio = put_audio(desk.engine, path, name, facts)
        return arrive(desk, session, name, audio, facts, None, drop)

    both = _beats(0.2, 4000, 3)
    for name, sound in (("Kick.wav", _beats(0.1, 60, 1)), ("OH L.wav", both), ("OH R.wav", both * 0.9)):
        state = come(name, sound, "drop-1")
    assert len(state.document.sources) == 2 and state.undo == "Add 2 recordings"
    state = come("Snare.wav", _beats(0.35, 190, 2), "drop-2")
    state = desk.sessions.undo(session, state.revision)
    assert {one.name for one in state.document.sources.values()} == {"Kick.wav", "OH L+R.wav"}
    state = desk.sessions.undo(session, state.revision)
    assert not state.document.sources and state.undo is None
    state = desk.sessions.redo(session, state.revision)
    assert {one.name for one in state.document.sources.values()} == {"Kick.wav", "OH L+R.wav"}


def test_a_pair_is_taken_apart_and_made_by_hand(desk: Desk, session: str, drop: Drop) -> None:
    sound = _beats(0.2, 4000, 3)
    drop(session, "OH L.wav", sound)
    state = drop(session, "OH R.wav", 0.8 * sound)
    ((pair_id, source),) = state.document.sources.items()
    assert source.clips[0].channels == 2 and [one.name for one in source.sides] == ["OH L.wav", "OH R.wav"]
    two = AsTwo(kind="as_two", source_id=pair_id, new_source_id="right", new_part_id="its-part")
    state = desk.sessions.edit(session, None, two)
    assert {one.name: one.clips[0].channels for one in state.document.sources.values()} == {
        "OH L.wav": 1,
        "OH R.wav": 1,
    }
    assert len(state.document.parts) == 2
    # Named like a pair and none: it is asked.
    assert [(one.first_id, one.second_id) for one in overview_of(desk, session).pairs] == [(pair_id, "right")]
    state = pair(desk, session, state.revision, pair_id, "right")
    assert [one.name for one in state.document.sources.values()] == ["OH L+R.wav"]
    assert overview_of(desk, session).pairs == []
    with pytest.raises(Problem):
        pair(desk, session, state.revision, pair_id, pair_id)


def test_two_microphones_of_one_drum_are_offered_to_be_combined_and_two_drums_are_not(
    desk: Desk, session: str, drop: Drop
) -> None:
    for number, offset_s in ((1, 0.2), (2, 0.2), (3, 0.45)):
        drop(session, f"Kick {number}.wav", _beats(offset_s, 60, number))
    state = desk.sessions.get(session)
    names = {key: desk.standing(session).names[key] for key in state.document.parts}
    offered = [{names[one.first_id], names[one.second_id]} for one in overview_of(desk, session).drums]
    assert offered == [{"Kick 1", "Kick 2"}]
