"""Edits of Sort: strokes given to pieces, parts split and joined, sounds thrown away."""

from __future__ import annotations

import pytest

from nubrak.core.flow import sorts_itself
from nubrak.core.problem import Problem
from nubrak.core.session import Document, Part, after_walking, tell_pieces
from nubrak.core.session.edit import apply
from nubrak.core.session.find_edits import SetFind, SetMark
from nubrak.core.session.gather_edits import Apart, CombineMicrophones, RemoveSource, SetPiece
from nubrak.core.session.marks import MarkChange
from nubrak.core.session.sort_edits import AsOne, Given, GiveStrokes, JoinParts, SetMuted, SetWay, SplitPart
from nubrak.core.sort import ToldPiece
from tests.core.session.sources import with_sources

TOLD = {
    "k": ToldPiece("kick", ("kick",)),
    "s": ToldPiece("snare", ("snare", "snare/side")),
    "h": ToldPiece("hi-hat", ()),
}


def split(part_id: str, new: str = "n", named: str | None = None) -> SplitPart:
    return SplitPart(
        kind="split_part", part_id=part_id, new_part_id=new, marks={"a": 1.0}, there={"b": 1.0}, named=named
    )


def sorted_loop() -> Document:
    document = with_sources(("loop.wav", "loop"))
    tell_pieces(document, "p0", TOLD)
    return document


def give(document: Document, **more: object) -> tuple[Document, str]:
    about = {
        "head_id": "p0",
        "from_parts": [Given(part_id="k", marks={"a": 1.0})],
        "to_part_id": "s",
        "there": {"b": 1.0},
    }
    return apply(document, GiveStrokes(kind="give_strokes", **(about | more)))  # type: ignore[arg-type]


def test_pieces_that_are_told_stand_under_their_moments_in_order() -> None:
    document = sorted_loop()
    assert document.family("p0") == ["k", "s", "h"] and document.parts["p0"].told
    assert not document.is_noted("p0") and document.is_noted("k")
    assert [key for key, _ in document.ordered_parts()] == ["p0", "k", "s", "h"]


def test_a_given_stroke_is_dropped_here_and_kept_there() -> None:
    document, label = give(sorted_loop())
    assert document.parts["k"].marks["a"].kind == "drop" and document.parts["s"].marks["b"].kind == "keep"
    assert label == "The stroke at 0:01.000 to snare"


def test_a_piece_that_is_not_there_yet_becomes_a_part() -> None:
    document, _ = give(sorted_loop(), to_part_id="new", piece="floor-tom")
    assert document.family("p0")[-1] == "new" and document.parts["new"].piece == "floor-tom"
    assert (
        document.parts["new"].sounds == [] and document.parts["new"].sources == document.parts["p0"].sources
    )


def test_what_a_hand_said_before_stays_when_a_stroke_is_given_on() -> None:
    document, _ = apply(
        sorted_loop(), SetMark(kind="mark", part_id="s", marks={"v": MarkChange(time_s=1.0, velocity=99)})
    )
    document, _ = give(document)
    assert document.parts["s"].marks["v"].velocity == 99 and document.parts["s"].marks["v"].kind == "keep"


def test_how_strokes_were_struck_is_said_of_each_and_only_ways_that_there_are() -> None:
    document, label = apply(
        sorted_loop(), SetWay(kind="set_way", part_id="h", marks={"a": 0.5}, articulation="open")
    )
    assert document.parts["h"].marks["a"].articulation == "open" and label.endswith("open")
    with pytest.raises(Problem, match="not struck that way"):
        apply(document, SetWay(kind="set_way", part_id="k", marks={"a": 0.5}, articulation="open"))


def test_a_part_is_split_with_its_marks_and_joined_again() -> None:
    document, _ = apply(
        sorted_loop(), SetMark(kind="mark", part_id="s", marks={"v": MarkChange(time_s=1.0, velocity=20)})
    )
    document.parts["s"].shape.note = 40
    document, _ = apply(document, split("s", new="g", named="Ghosts"))
    ghosts = document.parts["g"]
    assert ghosts.shape.note == 40 and document.part_name("g") == "Ghosts"
    assert [mark.velocity for mark in ghosts.mark_list] == [20]
    assert all(mark.kind == "drop" for mark in document.parts["s"].mark_list)
    document, _ = apply(document, JoinParts(kind="join_parts", part_id="s", other_id="g", marks={"c": 1.0}))
    assert "g" not in document.parts
    assert [(mark.kind, mark.velocity) for mark in document.parts["s"].mark_list] == [("keep", 20)]


def test_only_parts_of_one_family_are_joined_or_split() -> None:
    document = with_sources(("loop.wav", "loop"), ("snare.wav", "snare"))
    tell_pieces(document, "p0", {"k": ToldPiece("kick", ("kick",))})
    with pytest.raises(Problem, match="joined"):
        apply(document, JoinParts(kind="join_parts", part_id="k", other_id="p1"))
    with pytest.raises(Problem, match="in the pieces under it"):
        apply(document, split("p0"))
    with pytest.raises(Problem, match="in the pieces under it"):
        apply(document, JoinParts(kind="join_parts", part_id="p0", other_id="k"))
    document.parts["beside"] = Part(piece="clap", place=9, sources=[])
    with pytest.raises(Problem, match="of a recording"):
        apply(document, split("beside"))


def test_a_part_with_a_microphone_of_its_own_is_divided_and_joined_again() -> None:
    document = with_sources(("snare.wav", "snare"), ("hat.wav", "hi-hat"))
    document.parts["p0"].shape.note = 40
    document, label = apply(document, split("p0", named="Ghosts"))
    ghosts = document.parts["n"]
    assert label == "The stroke at 0:01.000 of snare apart" and document.part_name("n") == "Ghosts"
    assert ghosts.sources == ["s0"] and ghosts.shape.note == 40 and not sorts_itself(document, "n")
    # both are written: nothing was told from moments here
    assert document.is_noted("p0") and document.is_noted("n") and not document.family("p0")
    assert [key for key, _ in document.ordered_parts()] == ["p0", "n", "p1"]
    # divided once more, it still stands under the recording's own part
    document, _ = apply(document, split("n", new="m"))
    assert document.parts["m"].sorted_from == document.parts["m"].divided_from == "p0"
    document, _ = apply(document, JoinParts(kind="join_parts", part_id="n", other_id="m", marks={"x": 1.0}))
    document, _ = apply(document, JoinParts(kind="join_parts", part_id="p0", other_id="n", marks={"y": 1.0}))
    assert list(document.parts) == ["p0", "p1"]
    assert [mark.kind for mark in document.parts["p0"].mark_list] == ["keep"]


def test_what_was_divided_goes_where_its_recording_goes() -> None:
    document = with_sources(("snare top.wav", "snare"), ("snare bottom.wav", "snare"))
    document, _ = apply(document, split("p1"))
    document, _ = apply(document, CombineMicrophones(kind="combine_microphones", part_id="p0", other_id="p1"))
    divided = document.parts["n"]
    assert divided.sorted_from == divided.divided_from == "p0" and divided.sources == ["s0", "s1"]
    document, _ = apply(document, Apart(kind="apart", part_id="p0", source_id="s1", new_part_id="p1"))
    assert document.parts["n"].sources == ["s0"]
    document, _ = apply(document, SetPiece(kind="set_piece", part_id="p0", piece="clap"))
    assert document.parts["n"].piece == "clap"
    document, _ = apply(document, RemoveSource(kind="remove_source", source_id="s0"))
    assert list(document.parts) == ["p1"]


def test_what_is_thrown_away_keeps_everything_and_comes_back() -> None:
    document, label = apply(sorted_loop(), SetMuted(kind="set_muted", part_id="k", muted=True))
    assert not document.is_noted("k") and label == "Throw away kick"
    document, _ = apply(document, SetMuted(kind="set_muted", part_id="k", muted=False))
    assert document.is_noted("k")


def test_one_part_again_is_not_sorted_by_itself_once_more() -> None:
    document, _ = apply(sorted_loop(), AsOne(kind="as_one", part_id="p0"))
    assert list(document.parts) == ["p0"] and document.parts["p0"].told


def test_a_family_goes_with_its_source_and_no_orphan_stays() -> None:
    document, _ = apply(sorted_loop(), RemoveSource(kind="remove_source", source_id="s0"))
    assert not document.parts
    orphaned = sorted_loop()
    del orphaned.parts["p0"]
    assert not after_walking(orphaned).parts


def test_a_session_of_before_is_not_sorted_and_what_arrives_is() -> None:
    document = with_sources(("loop.wav", "loop"))
    assert sorts_itself(document, "p0")
    before = document.model_dump(mode="json")
    for field in ("told", "asked", "sorted_from", "sounds", "named", "muted", "rank"):
        del before["parts"]["p0"][field]
    opened = Document.model_validate(before)
    assert not sorts_itself(opened, "p0") and opened.is_noted("p0")
    other, _ = apply(opened, SetPiece(kind="set_piece", part_id="p0", piece="mouth"))
    assert sorts_itself(other, "p0"), "said to be something else, it is sorted"


def test_a_kind_of_recording_that_is_tried_on_a_microphone_does_not_sort_it() -> None:
    document = with_sources(("snare.wav", "snare"))
    document, _ = apply(document, SetFind(kind="set_find", part_id="p0", changes={"material": "loop"}))
    assert not sorts_itself(document, "p0")


def test_a_loop_that_turns_out_to_be_one_drum_has_its_notes_again_and_undo_its_pieces() -> None:
    document, _ = apply(sorted_loop(), SetPiece(kind="set_piece", part_id="p0", piece="kick"))
    assert list(document.parts) == ["p0"] and document.is_noted("p0") and not sorts_itself(document, "p0")
    same, _ = apply(sorted_loop(), SetPiece(kind="set_piece", part_id="p0", piece="loop"))
    assert same.family("p0") == ["k", "s", "h"], "what it is already changes nothing"
