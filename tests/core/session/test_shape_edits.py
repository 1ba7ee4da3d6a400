"""Edits of Shape: notes set by hand."""

from __future__ import annotations

from nubrak.core.decide.settings import Mark
from nubrak.core.session.document import Document, Part
from nubrak.core.session.edit import apply
from nubrak.core.session.shape_edits import NoteByHand, SetNotes


def test_setting_a_note_by_hand_keeps_what_the_stroke_was() -> None:
    marks = {"a": Mark(kind="add", time_s=3.3), "m": Mark(kind="keep", time_s=0.5, to_s=0.51)}
    document = Document(name="T", parts={"p": Part(piece="snare", place=0, sources=[], marks=marks)})
    by_hand = {
        "x": NoteByHand(time_s=3.3, velocity=20),
        "y": NoteByHand(time_s=0.5, velocity=30),
        "z": NoteByHand(time_s=2.03, note=40),
    }
    after, label = apply(document, SetNotes(kind="set_notes", part_id="p", notes=by_hand))
    assert label == "Snare: 3 notes by hand"
    now = after.parts["p"].marks
    assert now["a"] == Mark(kind="add", time_s=3.3, velocity=20) and now["m"] == Mark(
        kind="keep", time_s=0.5, to_s=0.51, velocity=30
    )
    assert now["z"] == Mark(kind="keep", time_s=2.03, note=40)
    back, _ = apply(
        after, SetNotes(kind="set_notes", part_id="p", notes={"x": NoteByHand(time_s=3.3, velocity=None)})
    )
    assert back.parts["p"].marks["a"] == Mark(kind="add", time_s=3.3)
