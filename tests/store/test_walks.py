"""Any walk of edits, undo, redo, arrivals and late findings, in two windows, ends in the document that its
meaning gives: that of the edits that stand, each done once, in their order, and everything told.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    invariant,
    precondition,
    rule,
    run_state_machine_as_test,
)
from sqlalchemy import Engine

from nubrak.core.flow import sorts_itself
from nubrak.core.gather import inspect
from nubrak.core.pieces import PieceGuess
from nubrak.core.problem import Problem
from nubrak.core.session import AnyAction, Clip, Document, MarkChange, apply, id_of_told, tell_pieces
from nubrak.core.session.edit import (
    AddSource,
    AskPieces,
    AsOne,
    GiveStrokes,
    JoinParts,
    RemoveSource,
    Rename,
    SetFind,
    SetMark,
    SetMuted,
    SetPiece,
    SetTempo,
    SplitPart,
)
from nubrak.core.sort import ToldPiece
from nubrak.core.tempo import Tempo, TempoChange
from nubrak.store.audio import put_audio
from nubrak.store.sessions import Sessions, SessionState, StaleRevision
from tests.conftest import decaying_strokes, write_wav

TOLD_TEMPO = Tempo(
    known="told", sure=0.9, bpm=96.0, beats_per_bar=3, bar_one_s=0.4, changes=[TempoChange(time_s=2, bpm=95)]
)
WINDOWS = st.integers(0, 1)
ASKED: list[list[str]] = [[], ["ride"], ["crash"]]
TEMPOS = [{"bpm": 104.0}, {"beats_per_bar": 4}, {"known": "none"}, {"bar_one_s": 1.0, "bpm": 88.0}]
ARRIVES = {"kick": "k.wav", "loop": "moth loop.wav", "crash": "oh.wav", "room": "far.wav"}


def pieces_of(document: Document, head: str) -> dict[str, ToldPiece]:
    """What a recording tells: the same whenever it is asked the same."""
    wanted = document.parts[head].look_for or ["kick", "snare", "ride"]
    return {id_of_told(head, one): one for one in (ToldPiece(piece, (piece,)) for piece in wanted)}


def all_told(document: Document) -> Document:
    """A document with everything that its recordings tell."""
    out = document.model_copy(deep=True)
    for head in list(out.parts):
        if sorts_itself(out, head):
            tell_pieces(out, head, pieces_of(out, head))
    return out


@dataclass
class Step:
    """One step of undo: its actions, and the tempo that each of them left where it set one."""

    actions: list[tuple[AnyAction, Tempo | None]]
    gesture: str | None = None


@dataclass
class Model:
    """What stands and what was taken back."""

    done: list[Step] = field(default_factory=list)
    undone: list[Step] = field(default_factory=list)

    def means(self) -> Document:
        """The document of the edits that stand."""
        out, tempo = Document(name="Walk"), TOLD_TEMPO
        for step in self.done:
            for action, left in step.actions:
                out, _ = apply(all_told(out), action)
                tempo = left or tempo
        out = all_told(out)
        out.tempo = tempo
        return out


class Walk(RuleBasedStateMachine):
    """Two windows at one session."""

    engine: Engine
    audio: str

    def __init__(self) -> None:
        super().__init__()
        self.sessions = Sessions(self.engine)
        self.model = Model()
        self.at = self.sessions.new(Document(name="Walk"))
        self.seen = [0, 0]
        self.made = 0

    def _now(self, state: SessionState, window: int | None = None) -> SessionState:
        self.at = state
        if window is not None:
            self.seen[window] = state.revision
        return state

    def _catch_up(self, window: int) -> None:
        """A window that others have overtaken is refused, changes nothing, and catches up."""
        if self.seen[window] == self.at.revision:
            return
        rename = Rename(kind="rename", name="too late")
        with pytest.raises(StaleRevision) as refused:
            self.sessions.edit(self.at.id, self.seen[window], rename)
        assert refused.value.state == self.at
        self.seen[window] = self.at.revision

    def _edit(self, window: int | None, action: AnyAction, gesture: str | None = None) -> None:
        before = self.at
        if window is not None:
            self._catch_up(window)
        try:
            state = self.sessions.edit(
                before.id, before.revision if window is not None else None, action, gesture
            )
        except Problem as problem:
            assert not isinstance(problem, StaleRevision)
            return
        self._now(state, window)
        if state.revision == before.revision:
            return  # it changed nothing
        left = state.document.tempo if isinstance(action, SetTempo) else None
        if state.undo_number == before.undo_number and not self.model.undone:
            assert gesture is not None and self.model.done[-1].gesture == gesture
            self.model.done[-1].actions.append((action, left))
        elif gesture is not None and self.model.done and self.model.done[-1].gesture == gesture:
            assert state.undo_number == before.undo_number
            self.model.done[-1].actions.append((action, left))
        else:
            self.model.done.append(Step([(action, left)], gesture))
        self.model.undone.clear()

    def _part(self, data: st.DataObject) -> str:
        return data.draw(st.sampled_from(sorted(self.at.document.parts) or ["none"]))

    def _new(self) -> str:
        self.made += 1
        return f"n{self.made}"

    @rule(piece=st.sampled_from(sorted(ARRIVES)))
    @precondition(lambda self: len(self.at.document.sources) < 3)
    def arrive(self, piece: str) -> None:
        self.made += 1
        self._edit(
            None,
            AddSource(
                kind="add_source",
                source_id=f"s{self.made}",
                part_id=f"p{self.made}",
                name=ARRIVES[piece],
                guess=PieceGuess(piece=piece, why="", sure=1),
                clip=Clip(audio=self.audio, length_s=1.0, channels=1, rate_hz=44100),
            ),
            gesture="drop" if self.made % 2 else None,
        )

    @rule(window=WINDOWS, data=st.data())
    def set_line(self, window: int, data: st.DataObject) -> None:
        changes = {"threshold_db": -20.0 - self.made / 10}
        self._edit(window, SetFind(kind="set_find", part_id=self._part(data), changes=changes))

    @rule(window=WINDOWS, data=st.data())
    def mark(self, window: int, data: st.DataObject) -> None:
        marks = {self._new(): MarkChange(kind="keep", time_s=self.made / 10)}
        self._edit(window, SetMark(kind="mark", part_id=self._part(data), marks=marks))

    @rule(window=WINDOWS, data=st.data(), muted=st.booleans())
    def mute(self, window: int, data: st.DataObject, muted: bool) -> None:
        self._edit(window, SetMuted(kind="set_muted", part_id=self._part(data), muted=muted))

    @rule(window=WINDOWS, data=st.data(), piece=st.sampled_from(["kick", "loop", "mouth", "crash", "conga"]))
    def set_piece(self, window: int, data: st.DataObject, piece: str) -> None:
        self._edit(window, SetPiece(kind="set_piece", part_id=self._part(data), piece=piece))

    @rule(window=WINDOWS, data=st.data(), pieces=st.sampled_from(ASKED))
    def ask_for_pieces(self, window: int, data: st.DataObject, pieces: list[str]) -> None:
        self._edit(window, AskPieces(kind="ask_pieces", part_id=self._part(data), pieces=pieces))

    @rule(window=WINDOWS, data=st.data())
    def as_one(self, window: int, data: st.DataObject) -> None:
        self.find_out()
        self._edit(window, AsOne(kind="as_one", part_id=self._part(data)))

    @rule(window=WINDOWS, data=st.data())
    def split(self, window: int, data: st.DataObject) -> None:
        self.find_out()
        new, at = self._new(), {self._new(): 0.5}
        self._edit(
            window,
            SplitPart(kind="split_part", part_id=self._part(data), new_part_id=new, marks=at, there=at),
        )

    @rule(window=WINDOWS, data=st.data())
    def join(self, window: int, data: st.DataObject) -> None:
        self.find_out()
        part_id = self._part(data)
        others = [key for key in self.at.document.parts if key != part_id]
        if others:
            other = data.draw(st.sampled_from(sorted(others)))
            self._edit(window, JoinParts(kind="join_parts", part_id=part_id, other_id=other))

    @rule(window=WINDOWS, data=st.data())
    def give(self, window: int, data: st.DataObject) -> None:
        self.find_out()
        part = self._part(data)
        head = self.at.document.parts[part].sorted_from if part in self.at.document.parts else None
        there = {self._new(): 0.25}
        self._edit(
            window,
            GiveStrokes(
                kind="give_strokes",
                head_id=head or part,
                from_parts=[],
                to_part_id=self._new(),
                there=there,
                piece="clap",
            ),
        )

    @rule(window=WINDOWS, data=st.data())
    def take_out(self, window: int, data: st.DataObject) -> None:
        part = self.at.document.parts.get(self._part(data))
        source = part.sources[0] if part and part.sources else "none"
        self._edit(window, RemoveSource(kind="remove_source", source_id=source))

    @rule(window=WINDOWS, changes=st.sampled_from(TEMPOS))
    def set_tempo(self, window: int, changes: dict) -> None:
        self._edit(window, SetTempo(kind="set_tempo", changes=changes))

    @rule(window=WINDOWS, name=st.sampled_from(["One", "Two", "Three"]))
    def rename_while_dragging(self, window: int, name: str) -> None:
        self._edit(window, Rename(kind="rename", name=name), gesture="hand")

    @rule(window=WINDOWS)
    @precondition(lambda self: self.model.done)
    def undo(self, window: int) -> None:
        self._catch_up(window)
        self._now(self.sessions.undo(self.at.id, self.at.revision), window)
        self.model.undone.append(self.model.done.pop())

    @rule(window=WINDOWS)
    @precondition(lambda self: self.model.undone)
    def redo(self, window: int) -> None:
        self._catch_up(window)
        try:
            self._now(self.sessions.redo(self.at.id, self.at.revision), window)
        except Problem as problem:
            # What it changes was told and is to be told again: after that it can be done.
            assert "cannot be redone yet" in problem.what
            assert self.sessions.get(self.at.id) == self.at
            self.find_out()
            self._now(self.sessions.redo(self.at.id, self.at.revision), window)
        self.model.done.append(self.model.undone.pop())

    @rule()
    def find_out(self) -> None:
        """What the recordings tell is kept, by a worker, whenever it comes to it."""
        document = self.at.document
        for head in [one for one in document.parts if sorts_itself(document, one)]:
            assert self.sessions.tell_pieces(self.at.id, head, pieces_of(document, head))
        self.find_tempo()

    @rule()
    def find_tempo(self) -> None:
        if self.at.document.sources:
            self.sessions.tell_tempo(self.at.id, TOLD_TEMPO)
        self._now(self.sessions.get(self.at.id))

    @invariant()
    def it_stands_for_what_was_done(self) -> None:
        assert self.sessions.get(self.at.id) == self.at, "what was answered is what is kept"
        assert (self.at.undo is None, self.at.redo is None) == (not self.model.done, not self.model.undone)
        stands, means = all_told(self.at.document), self.model.means()
        if stands.tempo.known == "no":
            stands.tempo = TOLD_TEMPO
        assert as_kept(stands) == as_kept(means)


def as_kept(document: Document) -> dict:
    """What a document says."""
    return dict(document.model_dump(mode="json"))


def test_any_walk_in_two_windows_ends_where_its_meaning_does(engine: Engine, tmp_path: Path) -> None:
    path = write_wav(tmp_path / "k.wav", decaying_strokes([0.1, 0.5], [0.8, 0.5], 1.0))
    audio = put_audio(engine, path, "k.wav", inspect(path))
    run_state_machine_as_test(
        type("Walk", (Walk,), {"engine": engine, "audio": audio}),
        settings=settings(
            max_examples=60, stateful_step_count=30, deadline=None, suppress_health_check=list(HealthCheck)
        ),
    )


def test_what_was_told_between_undo_and_redo_is_told_again(engine: Engine, tmp_path: Path) -> None:
    path = write_wav(tmp_path / "k.wav", decaying_strokes([0.1, 0.5], [0.8, 0.5], 1.0))
    audio = put_audio(engine, path, "k.wav", inspect(path))
    walk: Walk = type("Walk", (Walk,), {"engine": engine, "audio": audio})()
    walk.arrive("loop")
    walk._edit(0, SetPiece(kind="set_piece", part_id="p1", piece="kick"))
    walk.undo(0)
    walk.find_out()
    walk.redo(0)
    assert list(walk.at.document.parts) == ["p1"]
    walk.undo(0)
    assert not walk.at.document.parts["p1"].told
    walk.find_out()
    walk.arrive("kick")
    walk.undo(0)
    walk.it_stands_for_what_was_done()
    assert {part.place for part in walk.at.document.parts.values()} == {0}
