"""What arriving files belong to: stereo pairs, takes, several microphones on one piece; time stamps; ranges
and given strokes.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from nubrak.core.decide.settings import CurvePoint, FindSettings, Mark
from nubrak.core.gather.belonging import other_half, same_piece, takes_of
from nubrak.core.gather.read import inspect, time_stamp_s
from nubrak.core.pieces.file_names import PieceGuess, position_of, side_of, takes_alike
from nubrak.core.problem import Problem
from nubrak.core.session.document import Clip, Document, Span
from nubrak.core.session.edit import (
    AddClip,
    AddSource,
    Apart,
    CombineMicrophones,
    Give,
    MoveClip,
    RemoveClip,
    RemoveSource,
    SetAside,
    SetFind,
    SetMark,
    SetSpan,
    apply,
)
from nubrak.core.session.marks import MarkChange
from tests.conftest import stamp_wave, write_wav


def clip(audio: str = "a", **more: float | None) -> Clip:
    return Clip(audio=audio, length_s=10.0, channels=1, rate_hz=48000, **more)  # type: ignore[arg-type]


def with_sources(*names: tuple[str, str], stamps: list[float | None] | None = None) -> Document:
    document = Document(name="T")
    for number, (name, piece) in enumerate(names):
        stamp = stamps[number] if stamps else None
        guess = PieceGuess(piece=piece, why="", sure=1)
        action = AddSource(
            kind="add_source",
            source_id=f"s{number}",
            part_id=f"p{number}",
            name=name,
            guess=guess,
            clip=clip(f"a{number}", stamp_s=stamp),
        )
        document, _ = apply(document, action)
    return document


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("OH L.wav", ("oh", "left")),
        ("Overheads_Right.wav", ("overheads", "right")),
        ("room-R.wav", ("room", "right")),
        ("OHL.wav", ("oh", "left")),
        ("Kick.wav", None),
        ("L.wav", None),
        ("Hihat Left 2.wav", ("hihat 2", "left")),
    ],
)
def test_names_tell_the_side_of_a_pair(name: str, said: tuple[str, str] | None) -> None:
    assert side_of(name) == said


def test_halves_of_a_pair_find_each_other() -> None:
    document = with_sources(("kick.wav", "kick"), ("OH R.wav", "crash"), ("OH L.wav", "crash"))
    assert other_half(document, "s2") == ("s2", "s1", "oh L+R.wav") and other_half(document, "s0") is None
    document.sources["s1"].clips[0].rate_hz = 44100
    assert other_half(document, "s2") is None


def test_two_microphones_on_one_piece_are_told_by_name() -> None:
    document = with_sources(
        ("Kick In.wav", "kick"),
        ("Snare Top.wav", "snare"),
        ("Kick Out.wav", "kick"),
        ("Snare 2.wav", "snare"),
    )
    assert same_piece(document, "p2") == "p0" and same_piece(document, "p3") is None
    assert position_of("Snare Bottom.wav") == ("snare", "bottom")


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


def test_takes_go_on_one_source_by_their_stamps_or_behind_what_is_there() -> None:
    document = with_sources(("Kick_01.wav", "kick"), stamps=[36000.0])
    assert takes_of(document, "Kick_02.wav", clip("b", stamp_s=36020.0), "kick") == "s0"
    assert (
        takes_of(document, "Kick_02.wav", clip("b", stamp_s=36005.0), "kick") is None
    )  # at the same moment: another microphone
    assert (
        takes_of(document, "Kick_02.wav", clip("b"), "kick") is None
        and takes_of(document, "Snare_02.wav", clip("b", stamp_s=36020.0), "snare") is None
    )
    document, label = apply(
        document,
        AddClip(kind="add_clip", source_id="s0", name="Kick_02.wav", clip=clip("b", stamp_s=36020.0)),
    )
    assert [c.start_s for c in document.sources["s0"].clips] == [0.0, 20.0] and "add take" in label
    document, _ = apply(document, AddClip(kind="add_clip", source_id="s0", name="punch.wav", clip=clip("c")))
    assert document.sources["s0"].clips[2].start_s == 30.0
    document, _ = apply(document, RemoveClip(kind="remove_clip", source_id="s0", index=1))
    assert [c.audio for c in document.sources["s0"].clips] == ["a0", "c"]
    assert takes_alike("Kick_01.wav", "Kick_02.wav") and not takes_alike("Kick.wav", "Snare.wav")


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


def test_a_stroke_given_to_another_part_is_dropped_here_and_a_hit_there() -> None:
    document = with_sources(("snare.wav", "snare"), ("tom.wav", "rack-tom"))
    document, label = apply(
        document, Give(kind="give", part_id="p0", to_part_id="p1", marks={"a": 1.0}, there={"b": 1.002})
    )
    assert document.parts["p0"].marks["a"].kind == "drop" and document.parts["p1"].marks["b"].time_s == 1.002
    assert label == "Snare: give the stroke at 0:01.000 to rack tom"


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


def test_marks_on_thousands_of_places_are_one_edit() -> None:
    document = with_sources(("snare.wav", "snare"))
    marks = {f"m{n}": MarkChange(kind="drop", time_s=n * 0.01) for n in range(900)}
    document, label = apply(document, SetMark(kind="mark", part_id="p0", marks=marks))
    assert len(document.parts["p0"].marks) == 900 and label == "Snare: drop 900 places"


@pytest.mark.parametrize("odd", [False, True])
def test_the_time_reference_is_read_as_the_standard_lays_it_down(tmp_path: Path, odd: bool) -> None:
    path = tmp_path / "kick.wav"
    write_wav(path, np.full(4800, 0.1, np.float32), rate_hz=48000)
    plain = path.read_bytes()
    stamp_wave(path, 48000 * 36000 + 24000, odd)
    assert inspect(path).stamp_s == 36000.5
    path.write_bytes(plain)
    stamp_wave(path, 0)
    assert inspect(path).stamp_s is None  # no recorder starts at midnight by chance; an unset field reads 0
    path.write_bytes(plain)
    stamp_wave(path, 1 << 63)
    assert inspect(path).stamp_s is None
    path.write_bytes(b"RIFF\x10\0\0\0WAVEbext\xff\xff\0\0cut")
    assert time_stamp_s(path, 48000) is None
