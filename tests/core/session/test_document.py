"""Actions, labels, bounds, and what file names say."""

from __future__ import annotations

import pytest
from pydantic import TypeAdapter, ValidationError

from nubrak.core.pieces.file_names import PieceGuess
from nubrak.core.problem import Problem
from nubrak.core.session.document import Clip, Document
from nubrak.core.session.edit import (
    AddSource,
    AnyAction,
    RemoveSource,
    SetFind,
    SetMark,
    SetPiece,
    Unmark,
    apply,
)
from nubrak.core.session.marks import MarkChange
from nubrak.core.shape import PatternNote
from tests.core.session.sources import with_sources


def with_source(
    piece: str = "kick", number: int = 1, document: Document | None = None, audio: str = "a"
) -> Document:
    action = AddSource(
        kind="add_source",
        source_id=f"s{number}",
        part_id=f"p{number}",
        name=f"{piece}.wav",
        guess=PieceGuess(piece=piece, why="", sure=1),
        clip=Clip(audio=audio, length_s=2.0, channels=1, rate_hz=48000),
    )
    return apply(document or Document(name="T"), action)[0]


def test_what_a_hand_says_is_not_asked_about_any_more() -> None:
    document = with_source()
    unsure = PieceGuess(piece="kick", why="", sure=0.4, asks=True)
    document.sources["s1"].guess = unsure
    for piece in ("kick", "clap"):
        said, _ = apply(document, SetPiece(kind="set_piece", part_id="p1", piece=piece))
        guess = said.sources["s1"].guess
        assert guess is not None and not guess.asks and said.parts["p1"].piece == piece
        assert guess.sure == 0.4, "why it was taken so stays readable"


def test_the_first_source_sets_the_rate_and_brings_a_part() -> None:
    document = with_source()
    assert document.rate_hz == 48000 and document.parts["p1"].piece == "kick" and document.length_s == 2.0


def test_actions_leave_the_document_they_are_given_alone_and_say_what_they_did() -> None:
    before = with_source()
    kept = before.model_dump()
    after, label = apply(
        before, SetFind(kind="set_find", part_id="p1", changes={"threshold_db": -31.5, "hold_off_ms": 22})
    )
    assert before.model_dump() == kept and after.parts["p1"].find.threshold_db == -31.5
    assert label == "Kick: threshold −31.5 dB, hold-off 22 ms"


@pytest.mark.parametrize(
    "changes",
    [
        {"threshold_db": 3},
        {"rise_db": -1},
        {"hold_off_ms": 100000},
        {"colour": 1},
        {"threshold_db": float("nan")},
    ],
)
def test_settings_out_of_bounds_are_refused(changes: dict[str, float]) -> None:
    with pytest.raises(Problem):
        apply(with_source(), SetFind(kind="set_find", part_id="p1", changes=changes))


def test_a_mark_joins_the_one_on_the_same_stroke_and_dropping_an_added_hit_takes_it_back() -> None:
    document = with_source()
    for mark_id, mark in (
        ("m1", MarkChange(kind="drop", time_s=1.0)),
        ("m2", MarkChange(kind="keep", time_s=1.001)),
    ):
        document, _ = apply(document, SetMark(kind="mark", part_id="p1", marks={mark_id: mark}))
    assert {key: mark.kind for key, mark in document.parts["p1"].marks.items()} == {"m1": "keep"}
    document, _ = apply(
        document, SetMark(kind="mark", part_id="p1", marks={"m3": MarkChange(kind="add", time_s=1.5)})
    )
    document, _ = apply(
        document, SetMark(kind="mark", part_id="p1", marks={"m4": MarkChange(kind="drop", time_s=1.5)})
    )
    assert list(document.parts["p1"].marks) == ["m1"]
    document, label = apply(document, Unmark(kind="unmark", part_id="p1"))
    assert not document.parts["p1"].marks and "take back 1 mark" in label
    with pytest.raises(Problem, match="taken back already"):
        apply(document, Unmark(kind="unmark", part_id="p1", mark_ids=["m1"]))


def test_taking_a_source_out_takes_its_part() -> None:
    document = with_source("snare", 2, with_source())
    document, label = apply(document, RemoveSource(kind="remove_source", source_id="s1"))
    assert list(document.parts) == ["p2"] and label == "Take out kick.wav"
    with pytest.raises(Problem, match="not in the session"):
        apply(document, RemoveSource(kind="remove_source", source_id="s1"))


def test_two_parts_of_one_piece_are_told_apart_and_twins_are_said() -> None:
    document = with_source("snare", 2, with_source("snare", 1))
    assert [document.part_name("p1"), document.part_name("p2")] == ["Snare 1", "Snare 2"]
    assert "The same recording is in the session already" in document.sources["s2"].notes[0]


def test_unknown_actions_pieces_and_fields_are_refused() -> None:
    for wrong in (
        {"kind": "explode"},
        {"kind": "set_piece", "part_id": "p1", "piece": "didgeridoo"},
        {"kind": "rename", "name": "x", "extra": 1},
        {"kind": "rename", "name": ""},
        {"kind": "mark", "part_id": "p", "marks": {"../x": {"kind": "keep", "time_s": 1}}},
        {"kind": "mark", "part_id": "p", "marks": {"m": {"kind": "keep", "time_s": float("inf")}}},
    ):
        with pytest.raises(ValidationError):
            TypeAdapter(AnyAction).validate_python(wrong)
    with pytest.raises(Problem):
        apply(with_source(), SetPiece(kind="set_piece", part_id="gone", piece="kick"))


def test_what_is_set_aside_is_not_written() -> None:
    document = with_sources(("kick.wav", "kick"), ("under.wav", "snare"), ("over.wav", "snare"))
    document.parts["p1"].sources.append("s2")
    document.sources["s0"].aside = document.sources["s1"].aside = True
    assert document.is_aside("p0") and not document.is_aside("p1"), "one microphone is left"
    document.parts["p0"].pattern["n"] = PatternNote(time_s=1.0)
    assert not document.is_aside("p0"), "notes of its own are written"
