"""Names and the sample rate."""

from __future__ import annotations

import pytest

from nubrak.core.layer import Layer
from nubrak.core.layer.settings import HitOffset
from nubrak.core.pieces.file_names import PieceGuess
from nubrak.core.samples import Instrument, Sample
from nubrak.core.session.document import Document
from nubrak.core.session.edit import apply
from nubrak.core.session.gather_edits import AddSource, RemoveSource
from nubrak.core.session.name_edits import NamePart, NameSource, SetRate
from tests.core.session.sources import clip, with_sources


def test_a_part_is_called_as_it_is_named_and_by_its_piece_again() -> None:
    document = with_sources(("a.wav", "snare"), ("b.wav", "snare"))
    assert [document.part_name(key) for key in ("p0", "p1")] == ["Snare 1", "Snare 2"]
    document, label = apply(document, NamePart(kind="name_part", part_id="p1", name="Side drum"))
    assert [document.part_name(key) for key in ("p0", "p1")] == ["Snare", "Side drum"]
    assert label == "Name snare 2 “Side drum”"
    document, _ = apply(document, NamePart(kind="name_part", part_id="p0", name="Side drum"))
    assert [document.part_name(key) for key in ("p0", "p1")] == ["Side drum 1", "Side drum 2"]
    document, _ = apply(document, NamePart(kind="name_part", part_id="p0", name=""))
    assert document.part_name("p0") == "Snare"


def test_a_source_is_called_otherwise_than_its_file() -> None:
    document, label = apply(
        with_sources(("aud_01.wav", "kick")),
        NameSource(kind="name_source", source_id="s0", name="Kick inside"),
    )
    assert document.sources["s0"].name == "Kick inside" and "aud_01.wav" in label


def at_rates(*rates: int) -> Document:
    document = Document(name="T")
    for number, rate in enumerate(rates):
        one = clip(f"a{number}").model_copy(update={"rate_hz": rate})
        guess = PieceGuess(piece="kick", why="", sure=1)
        ids = {"source_id": f"s{number}", "part_id": f"p{number}"}
        document, _ = apply(
            document, AddSource(kind="add_source", name=f"{number}", guess=guess, clip=one, **ids)
        )
    return document


def test_a_session_has_the_rate_most_of_its_files_have() -> None:
    assert at_rates(44100, 48000).rate_hz == 44100, "of two as usual the one that came first"
    document = at_rates(44100, 48000, 48000)
    assert document.rate_hz == 48000
    for gone in ("s1", "s2"):
        document, _ = apply(document, RemoveSource(kind="remove_source", source_id=gone))
    assert document.rate_hz == 44100


def test_a_rate_that_was_chosen_stays() -> None:
    document, label = apply(at_rates(44100), SetRate(kind="set_rate", rate_hz=96000))
    assert document.rate_hz == 96000 and label == "Sample rate 96000 Hz"
    one = clip("b").model_copy(update={"rate_hz": 48000})
    guess = PieceGuess(piece="kick", why="", sure=1)
    added = AddSource(kind="add_source", source_id="s9", part_id="p9", name="9", guess=guess, clip=one)
    document, _ = apply(document, added)
    assert document.rate_hz == 96000
    document, _ = apply(document, SetRate(kind="set_rate", rate_hz=None))
    assert document.rate_hz == 44100 and not document.rate_chosen


@pytest.mark.parametrize(("offset", "wanted"), [(441, 480), (-441, -480), (4800, 4800)])
def test_layers_stay_as_far_behind_in_time_where_there_is_room(offset: int, wanted: int) -> None:
    document = at_rates(44100)
    layer = Layer(
        instrument=Instrument(name="Kick", piece="kick", samples=[Sample(audio="k")]), offset_samples=offset
    )
    layer.each = [HitOffset(time_s=1.0, offset_samples=offset)]
    document.parts["p0"].layers["l"] = layer
    document, _ = apply(document, SetRate(kind="set_rate", rate_hz=48000))
    kept = document.parts["p0"].layers["l"]
    assert kept.offset_samples == wanted and kept.each[0].offset_samples == wanted
