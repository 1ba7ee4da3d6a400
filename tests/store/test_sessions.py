"""Sessions, edits, undo and redo; audio in chunks; the disk cache."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import Engine
from sqlalchemy.orm import Session as Db

from nubrak.core.gather.read import inspect
from nubrak.core.pieces.file_names import PieceGuess
from nubrak.core.problem import Problem
from nubrak.core.session import id_of_told
from nubrak.core.session.document import Clip, Document
from nubrak.core.session.edit import (
    AddSource,
    AskPieces,
    Rename,
    SetFind,
    SetMark,
    SetMaster,
    SetMuted,
    SetPiece,
    SetTempo,
)
from nubrak.core.session.marks import MarkChange
from nubrak.core.sort import ToldPiece
from nubrak.core.tempo import Tempo, TempoChange
from nubrak.store.audio import put_audio
from nubrak.store.database import migrate, open_engine
from nubrak.store.sessions import Sessions, SessionState, StaleRevision
from nubrak.store.tables import SessionRow
from tests.conftest import decaying_strokes, write_wav


def stored(engine: Engine, tmp_path: Path, seed: int = 1, length_s: float = 1.0) -> str:
    path = write_wav(tmp_path / f"{seed}.wav", decaying_strokes([0.1, 0.5], [0.8, 0.5], length_s, seed=seed))
    return put_audio(engine, path, path.name, inspect(path))


def source(audio: str) -> AddSource:
    return AddSource(
        kind="add_source",
        source_id="s",
        part_id="p",
        name="k.wav",
        guess=PieceGuess(piece="kick", why="", sure=1),
        clip=Clip(audio=audio, length_s=1.0, channels=1, rate_hz=44100),
    )


def test_edits_undo_and_redo_survive_a_new_connection(
    engine: Engine, database_url: str, tmp_path: Path
) -> None:
    sessions = Sessions(engine)
    state = sessions.new(Document(name="One"))
    state = sessions.edit(state.id, 0, source(stored(engine, tmp_path)))
    state = sessions.edit(
        state.id, 1, SetMark(kind="mark", part_id="p", marks={"m": MarkChange(kind="drop", time_s=0.5)})
    )
    assert (state.revision, state.undo, state.redo) == (2, "Kick: drop at 0:00.500", None)
    engine.dispose()
    again = Sessions(open_engine(database_url))
    assert again.get(state.id) == state
    undone = again.undo(state.id, 2)
    assert (
        not undone.document.parts["p"].marks
        and undone.redo == "Kick: drop at 0:00.500"
        and undone.undo == "Add k.wav"
    )
    assert again.redo(state.id, 3).document == state.document
    with pytest.raises(Problem, match="nothing to redo"):
        again.redo(state.id, 4)


def test_a_new_edit_after_undo_ends_what_could_be_redone(engine: Engine) -> None:
    sessions = Sessions(engine)
    state = sessions.new(Document(name="One"))
    sessions.edit(state.id, 0, Rename(kind="rename", name="Two"))
    sessions.undo(state.id, 1)
    state = sessions.edit(state.id, 2, Rename(kind="rename", name="Three"))
    assert state.redo is None and state.document.name == "Three"
    assert sessions.undo(state.id, 3).document.name == "One"


def test_a_stale_revision_is_refused_with_the_session_as_it_stands(engine: Engine) -> None:
    sessions = Sessions(engine)
    state = sessions.new(Document(name="One"))
    sessions.edit(state.id, 0, Rename(kind="rename", name="Two"))
    for stale in (
        lambda: sessions.edit(state.id, 0, Rename(kind="rename", name="Three")),
        lambda: sessions.undo(state.id, 0),
    ):
        with pytest.raises(StaleRevision) as refusal:
            stale()
        assert refusal.value.state.document.name == "Two" and refusal.value.state.revision == 1


def test_what_does_not_exist_is_said(engine: Engine) -> None:
    sessions = Sessions(engine)
    with pytest.raises(Problem, match="does not exist"):
        sessions.get("nowhere")
    with pytest.raises(Problem, match="does not exist"):
        sessions.revision("nowhere")
    state = sessions.new(Document(name="One"))
    with pytest.raises(Problem, match="not in the store"):
        sessions.edit(state.id, 0, source("f" * 64))
    assert sessions.get(state.id).revision == 0


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(walk=st.lists(st.sampled_from(["edit", "mark", "undo", "redo"]), min_size=1, max_size=25))
def test_any_walk_of_edits_can_be_undone_to_the_beginning_and_redone_to_the_end(
    engine: Engine, tmp_path: Path, walk: list[str]
) -> None:
    sessions = Sessions(engine)
    start = sessions.edit(sessions.new(Document(name="One")).id, 0, source(stored(engine, tmp_path)))
    state, seen = start, [start.document]
    at = 0
    for number, what in enumerate(walk):
        if what == "edit":
            state = sessions.edit(
                state.id,
                state.revision,
                SetFind(kind="set_find", part_id="p", changes={"threshold_db": -10.0 - number}),
            )
        elif what == "mark":
            state = sessions.edit(
                state.id,
                state.revision,
                SetMark(
                    kind="mark", part_id="p", marks={f"m{number}": MarkChange(kind="keep", time_s=number)}
                ),
            )
        elif what == "undo" and at > 0:
            state, at = sessions.undo(state.id, state.revision), at - 1
            assert state.document == seen[at]
            continue
        elif what == "redo" and at < len(seen) - 1:
            state, at = sessions.redo(state.id, state.revision), at + 1
            assert state.document == seen[at]
            continue
        else:
            continue
        seen, at = [*seen[: at + 1], state.document], at + 1
    for back in range(at, 0, -1):
        state = sessions.undo(state.id, state.revision)
        assert state.document == seen[back - 1]


def test_migrating_twice_changes_nothing(database_url: str) -> None:
    migrate(database_url)
    migrate(database_url)


def test_a_tempo_detected_between_undo_and_redo_is_not_mixed_with_the_one_that_was_set(
    engine: Engine,
) -> None:
    sessions = Sessions(engine)
    state = sessions.new(Document(name="Lamps"))
    state = sessions.edit(state.id, 0, SetTempo(kind="set_tempo", changes={"bpm": 104.0}))
    sessions.undo(state.id, state.revision)
    changes = [TempoChange(time_s=2.0, bpm=95.0), TempoChange(time_s=4.0, bpm=97.0)]
    detected = Tempo(known="told", sure=0.9, bpm=96.0, beats_per_bar=3, bar_one_s=0.4, changes=changes)
    assert sessions.tell_tempo(state.id, detected)
    again = sessions.redo(state.id, sessions.revision(state.id))
    assert again.document.tempo == state.document.tempo, "all of it is as it was set"
    back = sessions.undo(state.id, again.revision)
    assert not back.document.tempo.is_known


def test_undoing_the_question_for_pieces_takes_back_what_was_found(engine: Engine, tmp_path: Path) -> None:
    sessions = Sessions(engine)
    state = sessions.new(Document(name="Lamps"))
    overheads = source(stored(engine, tmp_path)).model_copy(
        update={"guess": PieceGuess(piece="crash", why="", sure=1)}
    )
    state = sessions.edit(state.id, 0, overheads)
    before = state.document
    state = sessions.edit(state.id, state.revision, AskPieces(kind="ask_pieces", part_id="p"))
    found = [ToldPiece("ride", ("ride",)), ToldPiece("crash", ("crash",))]
    named = {id_of_told("p", one): one for one in found}
    assert sessions.tell_pieces(state.id, "p", named)
    ride = id_of_told("p", found[0])
    state = sessions.edit(
        state.id, sessions.revision(state.id), SetMuted(kind="set_muted", part_id=ride, muted=True)
    )
    state = sessions.undo(state.id, state.revision)
    state = sessions.undo(state.id, state.revision)
    assert state.document == before, "undo is whole"
    # Done again before the pieces are found again, what was done to one of them has to wait.
    state = sessions.redo(state.id, state.revision)
    with pytest.raises(Problem, match="cannot be redone yet"):
        sessions.redo(state.id, state.revision)
    assert sessions.tell_pieces(state.id, "p", named)
    state = sessions.redo(state.id, sessions.revision(state.id))
    assert state.document.parts[ride].muted


def test_edits_of_one_gesture_are_one_step_of_undo_and_an_edit_between_ends_it(engine: Engine) -> None:
    sessions = Sessions(engine)
    state = sessions.new(Document(name="Lamps"))

    def name(to: str, gesture: str | None) -> SessionState:
        return sessions.edit(state.id, None, Rename(kind="rename", name=to), gesture)

    for to in ("One", "Two", "Three"):
        now = name(to, "hand")
    assert now.undo == "Name the session “Three”"
    name("Four", None)
    name("Five", "hand")
    now = sessions.undo(state.id, sessions.revision(state.id))
    assert now.document.name == "Four"
    now = sessions.undo(state.id, now.revision)
    assert now.document.name == "Three"
    now = sessions.undo(state.id, now.revision)
    assert now.document.name == "Lamps" and now.undo is None
    now = sessions.redo(state.id, now.revision)
    assert now.document.name == "Three"


def test_a_session_that_an_earlier_version_kept_is_edited_and_undone(engine: Engine, tmp_path: Path) -> None:
    sessions = Sessions(engine)
    state = sessions.new(Document(name="Lamps"))
    state = sessions.edit(state.id, 0, source(stored(engine, tmp_path)))
    # What came later is not in it: every setting that has a usual value.
    with Db(engine) as db, db.begin():
        row = db.get(SessionRow, state.id)
        assert row is not None
        kept = state.document.model_dump(mode="json", exclude_defaults=True) | {
            "tempo": row.document["tempo"]
        }
        row.document = kept
    before = sessions.get(state.id).document
    state = sessions.edit(state.id, None, SetPiece(kind="set_piece", part_id="p", piece="loop"))
    state = sessions.edit(state.id, None, SetMaster(kind="set_master", master_db=-3.0))
    state = sessions.edit(state.id, None, SetMuted(kind="set_muted", part_id="p", muted=True))
    after = state.document
    for _ in range(3):
        state = sessions.undo(state.id, state.revision)
    assert state.document == before
    for _ in range(3):
        state = sessions.redo(state.id, state.revision)
    assert state.document == after
