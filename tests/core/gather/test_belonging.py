"""What arriving files belong to: stereo pairs, takes, several microphones on one piece; time stamps; ranges
and given strokes.
"""

from __future__ import annotations

from nubrak.core.gather.belonging import other_half, possible_sides, same_piece, takes_of
from nubrak.core.pieces.file_names import position_of, takes_alike
from nubrak.core.session.edit import AddClip, RemoveClip, apply
from tests.core.session.sources import clip, with_sources


def test_halves_of_a_pair_find_each_other() -> None:
    document = with_sources(("kick.wav", "kick"), ("OH R.wav", "crash"), ("OH L.wav", "crash"))
    assert other_half(document, "s2") == ("s2", "s1", "OH L+R.wav") and other_half(document, "s0") is None
    document.sources["s1"].clips[0].rate_hz = 44100
    assert other_half(document, "s2") is None


def test_two_microphones_on_one_piece_are_told_by_name() -> None:
    document = with_sources(
        ("Kick In.wav", "kick"),
        ("Snare Top.wav", "snare"),
        ("Kick Out.wav", "kick"),
        ("Snare 2.wav", "snare"),
    )
    assert same_piece(document, "p2") == ("p0", "s0") and same_piece(document, "p3") is None
    assert position_of("Snare Bottom.wav") == ("snare", "bottom")


def test_sides_of_a_pair_begin_together_at_one_rate_in_one_channel() -> None:
    document = with_sources(("a.wav", "crash"), ("b.wav", "crash"), ("c.wav", "crash"), ("d.wav", "kick"))
    document.sources["s1"].clips[0].rate_hz = 96000
    document.sources["s2"].clips[0].start_s = 3.0
    assert possible_sides(document, "s0") == ["s3"] and possible_sides(document, "s1") == []
    document.sources["s3"].clips[0].channels = 2
    assert possible_sides(document, "s0") == []


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
