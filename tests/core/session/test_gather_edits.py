"""Edits of Gather: parts joined and parted, stamped files, ranges, what goes along with a recording."""

from __future__ import annotations

import pytest

from nubrak.core.decide.settings import CurvePoint, FindSettings, Mark
from nubrak.core.pieces.file_names import PieceGuess
from nubrak.core.problem import Problem
from nubrak.core.session.document import Document, Span
from nubrak.core.session.edit import (
    AddClip,
    AddSource,
    Apart,
    CombineMicrophones,
    CountTempo,
    MoveClip,
    RemoveSource,
    SetAside,
    SetFind,
    SetSpan,
    SetTempo,
    SetTempoLine,
    apply,
)
from nubrak.core.tempo import Tempo, TempoChange, TempoPoint
from tests.core.session.sources import clip, with_sources


def test_parts_join_and_part_again_with_everything_that_names_them() -> None:
    document = with_sources(("Kick In.wav", "kick"), ("Kick Out.wav", "kick"), ("Snare.wav", "snare"))
    document.parts["p2"].find = FindSettings(spill_from=["p1"])
    document.parts["p1"].marks["m"] = Mark(kind="drop", time_s=1.0)
    document, label = apply(
        document, CombineMicrophones(kind="combine_microphones", part_id="p0", other_id="p1")
    )
    assert (
        document.parts["p0"].sources == ["s0", "s1"]
        and "m" in document.parts["p0"].marks
        and "p1" not in document.parts
    )
    assert document.parts["p2"].find.spill_from == ["p0"] and label == "Kick 1 and Kick 2 are one part"
    document, _ = apply(document, Apart(kind="apart", part_id="p0", source_id="s1", new_part_id="p9"))
    assert document.parts["p0"].sources == ["s0"] and document.parts["p9"].sources == ["s1"]
    document, _ = apply(document, RemoveSource(kind="remove_source", source_id="s0"))
    assert document.parts["p2"].find.spill_from == []
    with pytest.raises(Problem):
        apply(document, CombineMicrophones(kind="combine_microphones", part_id="p9", other_id="p9"))


def test_stamped_files_stand_at_their_times_and_an_earlier_one_moves_everything_right() -> None:
    document = with_sources(("kick.wav", "kick"), ("snare.wav", "snare"), stamps=[36000.0, 36002.5])
    assert [document.sources[s].clips[0].start_s for s in ("s0", "s1")] == [0.0, 2.5]
    document.parts["p0"].marks["m"] = Mark(kind="keep", time_s=1.0, to_s=1.1)
    document.parts["p0"].find = FindSettings(curve=[CurvePoint(time_s=3, offset_db=1)])
    document.span = Span(start_s=1, end_s=2)
    earlier = AddSource(
        kind="add_source",
        source_id="s9",
        part_id="p9",
        name="hat.wav",
        guess=PieceGuess(piece="hi-hat", why="", sure=1),
        clip=clip("h", stamp_s=35996.0),
    )
    document, _ = apply(document, earlier)
    assert [document.sources[s].clips[0].start_s for s in ("s9", "s0", "s1")] == [0.0, 4.0, 6.5]
    mark = document.parts["p0"].marks["m"]
    assert (mark.time_s, mark.to_s) == (5.0, pytest.approx(5.1)) and document.parts["p0"].find.curve[
        0
    ].time_s == 7.0
    assert document.span is not None and document.span.start_s == 5.0 and document.origin_s == 35996.0
    # stamps of another day's session are not believed
    far, _ = apply(
        document,
        earlier.model_copy(update={"source_id": "s8", "part_id": "p8", "clip": clip("f", stamp_s=80000.0)}),
    )
    assert far.sources["s8"].clips[0].start_s == 0.0


def test_marks_go_where_their_recording_goes() -> None:
    document = with_sources(("kick.wav", "kick"), ("snare.wav", "snare"))
    for part in ("p0", "p1"):
        document.parts[part].marks["m"] = Mark(kind="keep", time_s=2.0)
    document, label = apply(document, MoveClip(kind="move_clip", source_id="s0", index=0, start_s=3.0))
    assert (
        document.parts["p0"].marks["m"].time_s == 5.0
        and document.parts["p1"].marks["m"].time_s == 2.0
        and "move to 0:03.000" in label
    )
    with pytest.raises(Problem):
        apply(document, MoveClip(kind="move_clip", source_id="s0", index=7, start_s=3.0))


def test_ranges_and_sources_set_aside_say_what_undo_will_say() -> None:
    document = with_sources(("snare.wav", "snare"))
    document, label = apply(document, SetSpan(kind="set_span", span=Span(start_s=1, end_s=3)))
    assert document.span_s == (1, 3) and label == "Look only at 0:01.000 to 0:03.000"
    with pytest.raises(Problem, match="at least"):
        apply(document, SetSpan(kind="set_span", span=Span(start_s=3, end_s=3)))
    document, label = apply(document, SetAside(kind="set_aside", source_id="s0", aside=True))
    assert document.sources["s0"].aside and label == "Set aside snare.wav"
    document, label = apply(
        document,
        SetFind(
            kind="set_find",
            part_id="p0",
            changes={"curve": [CurvePoint(time_s=1, offset_db=2)], "spill_from": None, "material": "cymbals"},
        ),
    )
    assert label == "Snare: curve through 1 point, spill from learnt, material cymbals"


def test_a_tempo_is_counted_half_or_twice_as_fast_with_all_its_changes() -> None:
    document = with_sources(("kick.wav", "kick"))
    document.tempo = Tempo(
        known="told", sure=0.9, bpm=90, bar_one_s=1.0, changes=[TempoChange(time_s=9, bpm=100)]
    )
    document, label = apply(document, CountTempo(kind="count_tempo", twice=True))
    tempo = document.tempo
    assert label == "Count it twice as fast, 180 bpm"
    assert (tempo.known, tempo.sure, tempo.bpm, tempo.bar_one_s) == ("set", None, 180, 1.0)
    assert [(one.time_s, one.bpm) for one in tempo.changes] == [(9, 200)]
    document, _ = apply(document, CountTempo(kind="count_tempo", twice=False))
    assert document.tempo.bpm == 90
    document.tempo = Tempo(known="set", bpm=30)
    with pytest.raises(Problem, match="slower"):
        apply(document, CountTempo(kind="count_tempo", twice=False))


def test_the_tempo_is_drawn_as_a_line_of_points() -> None:
    document = with_sources(("kick.wav", "kick"))
    points = [TempoPoint(bar=1, bpm=120), TempoPoint(bar=5, bpm=90)]
    document, label = apply(document, SetTempoLine(kind="set_tempo_line", points=points))
    assert label == "Tempo 120 bpm, in 2 steps" and document.tempo.known == "set"
    assert [(one.time_s, one.bpm) for one in document.tempo.changes] == [(8.0, 90)]
    late = [TempoPoint(bar=1, bpm=20), TempoPoint(bar=100_000, bpm=90)]
    with pytest.raises(Problem, match="beyond the day"):
        apply(document, SetTempoLine(kind="set_tempo_line", points=late))


def test_a_tempo_that_is_typed_or_detected_replaces_the_whole_line() -> None:
    followed = Document(
        name="Lamps",
        tempo=Tempo(
            known="set",
            bpm=96.0,
            changes=[TempoChange(time_s=float(bar), bpm=95.0 + bar) for bar in range(22)],
        ),
    )
    document, _ = apply(followed, SetTempo(kind="set_tempo", changes={"bpm": 104.0}))
    assert document.tempo.bpm == 104.0 and document.tempo.changes == []
    # What leaves the tempo leaves its line.
    document, _ = apply(followed, SetTempo(kind="set_tempo", changes={"beats_per_bar": 3}))
    assert len(document.tempo.changes) == 22
    again = [TempoChange(time_s=3.0, bpm=99.0)]
    document, _ = apply(followed, SetTempo(kind="set_tempo", changes={"bpm": 98.0, "changes": again}))
    assert document.tempo.changes == again


def test_a_take_that_lies_over_another_is_said_and_both_are_kept() -> None:
    document = with_sources(("Kick 1.wav", "kick"), stamps=[3600.0])

    def take(stamp_s: float) -> AddClip:
        return AddClip(kind="add_clip", source_id="s0", name="Kick 2.wav", clip=clip("b", stamp_s=stamp_s))

    over, _ = apply(document, take(3606.0))
    assert len(over.sources["s0"].clips) == 2
    assert "overlaps another take by 4.0 s" in over.sources["s0"].notes[-1]
    behind, _ = apply(document, take(3610.0))
    assert behind.sources["s0"].notes == []
