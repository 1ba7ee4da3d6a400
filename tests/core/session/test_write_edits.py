"""Strokes written, kits that sound them, and walks of edits that always lead back."""

from __future__ import annotations

import jsonpatch
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.mix import Mend
from nubrak.core.problem import Problem
from nubrak.core.samples import CutMark, Instrument, Sample
from nubrak.core.session import (
    Document,
    LayerPut,
    MarkChange,
    MarkCuts,
    MendStroke,
    NewPart,
    SoundWith,
    Write,
    apply,
)
from nubrak.core.session.cut_edits import SetCut
from nubrak.core.session.layer_edits import AddLayer
from nubrak.core.session.mend_edits import Unmend
from nubrak.core.shape import PatternNote
from tests.core.session.sources import with_sources

BOX = Instrument(name="Box", piece="kick", samples=[Sample(audio="b" * 64)])


def written(**of: object) -> Write:
    return Write.model_validate({"kind": "write", "said": "Write it", **of})


def note(time_s: float, velocity: int = 100) -> PatternNote:
    return PatternNote(time_s=time_s, velocity=velocity, fixed=True)


def test_strokes_of_several_parts_are_one_edit() -> None:
    before = with_sources(("kick.wav", "kick"))
    marks = {"m": MarkChange(time_s=2.0, kind="drop")}
    action = written(
        parts={"new": NewPart(piece="crash", notes={"c": note(1.0)})},
        notes={"p0": {"k": note(1.0)}},
        marks={"p0": marks},
    )
    after, label = apply(before, action)
    assert label == "Write it" and after.parts["new"].piece == "crash" and not after.parts["new"].sources
    assert set(after.parts["p0"].pattern) == {"k"} and after.parts["p0"].marks["m"].kind == "drop"
    gone, _ = apply(after, written(remove={"p0": ["k"]}))
    assert not gone.parts["p0"].pattern
    for wrong in (written(), written(notes={"nobody": {"k": note(1.0)}})):
        with pytest.raises(Problem):
            apply(before, wrong)


def test_a_kit_for_what_is_written_leaves_the_layers_of_the_recording() -> None:
    before = with_sources(("kick.wav", "kick"))
    before, _ = apply(before, AddLayer(kind="add_layer", part_id="p0", layer_id="own", instrument=BOX))
    before, _ = apply(before, written(parts={"new": NewPart(piece="crash", notes={"c": note(1.0)})}))
    put = {"w": LayerPut(instrument=BOX, changes={"sounds_on": "written", "level_db": 0.0})}
    sound = SoundWith(kind="sound_with", said="Boxes", layers={"p0": put, "new": put})
    assert sound.audio == {"b" * 64}
    after, label = apply(before, sound)
    assert label == "What is written sounds with “Boxes”, 2 parts"
    assert {key: one.sounds_on for key, one in after.parts["p0"].layers.items()} == {
        "own": "recorded",
        "w": "written",
    }
    again, _ = apply(after, sound.model_copy(update={"layers": {"p0": {"x": put["w"]}}}))
    assert set(again.parts["p0"].layers) == {"own", "x"}, "one kit takes the place of the other"


TIMES = st.integers(0, 90).map(lambda tenths: tenths / 10)
KEYS = st.sampled_from(["a", "b", "c", "d"])
MARKS = st.builds(
    CutMark,
    found_s=TIMES,
    kind=st.sampled_from(["keep", "drop", "add"]),
    time_s=st.none() | TIMES,
    fade_in_ms=st.none() | st.floats(0, 50),
)
MENDS = st.builds(
    Mend,
    time_s=TIMES,
    from_s=TIMES,
    length_s=st.floats(0.05, 1.0),
    found_s=TIMES,
    velocity=st.none() | st.integers(1, 127),
)
ACTIONS = st.one_of(
    st.builds(
        lambda key, at, hard: written(notes={"p0": {key: note(at, hard)}}), KEYS, TIMES, st.integers(1, 127)
    ),
    st.builds(lambda key: written(remove={"p0": [key]}), KEYS),
    st.builds(
        lambda key, at, hard: written(marks={"p1": {key: MarkChange(time_s=at, velocity=hard)}}),
        KEYS,
        TIMES,
        st.integers(1, 127),
    ),
    st.builds(lambda key, mark: MarkCuts(kind="mark_cuts", source_id="s0", marks={key: mark}), KEYS, MARKS),
    st.builds(
        lambda by: SetCut(kind="set_cut", source_id="s1", changes={"by": by}),
        st.sampled_from(["hits", "grid", "both"]),
    ),
    st.builds(lambda key, mend: MendStroke(kind="mend", part_id="p1", mend_id=key, mend=mend), KEYS, MENDS),
    st.builds(lambda key: Unmend(kind="unmend", part_id="p1", mend_ids=[key]), KEYS),
)


@given(st.lists(ACTIONS, max_size=12))
@settings(max_examples=150)
def test_any_walk_of_edits_undoes_and_is_done_again(actions: list[Write | MarkCuts | MendStroke]) -> None:
    """As the store keeps them: a patch there and a patch back for each edit."""
    document = with_sources(("kick.wav", "kick"), ("snare.wav", "snare"))
    stands, back, forth = [document.model_dump(mode="json")], [], []
    for action in actions:
        untouched = document.model_dump(mode="json")
        try:
            new, label = apply(document, action)
        except Problem:
            assert document.model_dump(mode="json") == untouched
            continue
        assert label and document.model_dump(mode="json") == untouched
        document = new
        stands.append(document.model_dump(mode="json"))
        back.append(jsonpatch.make_patch(stands[-1], stands[-2]))
        forth.append(jsonpatch.make_patch(stands[-2], stands[-1]))
    now = stands[-1]
    for patch, stood in zip(reversed(back), reversed(stands[:-1]), strict=True):
        now = patch.apply(now)
        assert now == stood and Document.model_validate(now).model_dump(mode="json") == stood
    for patch, stood in zip(forth, stands[1:], strict=True):
        now = patch.apply(now)
        assert now == stood
