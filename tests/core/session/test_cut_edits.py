"""What a hand does to the cuts of a source."""

from __future__ import annotations

import pytest

from nubrak.core.problem import Problem
from nubrak.core.samples import CutMark
from nubrak.core.session import Clip, Document, Source, apply
from nubrak.core.session.cut_edits import MarkCuts, SetCut


def document() -> Document:
    clip = Clip(audio="a" * 64, length_s=4.0, channels=1, rate_hz=44100)
    return Document(name="T", sources={"s": Source(name="loop.wav", place=0, clips=[clip])})


def marked(before: Document, **marks: CutMark) -> Document:
    return apply(before, MarkCuts(kind="mark_cuts", source_id="s", marks=marks))[0]


def test_settings_leave_what_a_hand_did_and_say_what_changed() -> None:
    before = marked(document(), a=CutMark(found_s=1.0, kind="drop"))
    after, label = apply(before, SetCut(kind="set_cut", source_id="s", changes={"by": "grid", "step": "1/8"}))
    assert after.sources["s"].cut.by == "grid" and after.sources["s"].cuts == before.sources["s"].cuts
    assert label.startswith("loop.wav: cut") and "grid" in label
    with pytest.raises(Problem):
        apply(before, SetCut(kind="set_cut", source_id="s", changes={"step": "1/7"}))
    with pytest.raises(Problem):
        apply(before, SetCut(kind="set_cut", source_id="none", changes={"by": "grid"}))


def test_a_second_mark_of_a_cut_adds_to_the_first() -> None:
    moved = marked(document(), a=CutMark(found_s=1.0, time_s=1.01))
    faded = marked(moved, b=CutMark(found_s=1.003, fade_out_ms=12.0))
    [only] = faded.sources["s"].cuts.values()
    assert (only.time_s, only.fade_out_ms, only.kind) == (1.01, 12.0, "keep")
    added = marked(document(), a=CutMark(found_s=2.0, kind="add"))
    [only] = marked(added, b=CutMark(found_s=2.0, fade_in_ms=3.0)).sources["s"].cuts.values()
    assert only.kind == "add" and only.fade_in_ms == 3.0, "what was added stays added"


def test_marks_are_taken_back_and_none_is_refused() -> None:
    before = marked(document(), a=CutMark(found_s=1.0, kind="drop"), b=CutMark(found_s=2.0, kind="add"))
    after, label = apply(before, MarkCuts(kind="mark_cuts", source_id="s", remove=["a"]))
    assert set(after.sources["s"].cuts) == {"b"} and "as they were found" in label
    with pytest.raises(Problem):
        apply(before, MarkCuts(kind="mark_cuts", source_id="s"))
