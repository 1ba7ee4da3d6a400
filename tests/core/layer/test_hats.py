"""The layers of a hi-hat: each on its own notes, choking in whatever order they were added."""

from __future__ import annotations

import itertools

import pytest

from nubrak.core.layer.hats import fitted_hats, way_of
from nubrak.core.layer.settings import Layer
from nubrak.core.pieces import NoteMap
from nubrak.core.samples import Instrument, Sample
from nubrak.core.session.edit import AddLayer, RemoveLayer, SetLayer, apply
from tests.core.session.sources import with_sources

CLOSED, PEDAL, OPEN = 42, 44, 46


def hat(name: str, key: int | None = None) -> Instrument:
    return Instrument(name=name, piece="hi-hat", samples=[Sample(audio=name)], key=key)


HATS = (hat("Tight hat"), hat("Open hat"), hat("Foot", PEDAL))


@pytest.mark.parametrize(
    ("instrument", "way"),
    [
        (hat("Anything", 46), "open"),
        (hat("Hat, half-open"), "half"),
        (hat("Brass open"), "open"),
        (hat("Pedal chick"), "pedal"),
        (hat("Brass"), "closed"),
        (hat("Opened late"), "closed"),
    ],
)
def test_how_a_hat_is_struck_is_said_by_its_note_or_its_name(instrument: Instrument, way: str) -> None:
    assert way_of(instrument) == way


@pytest.mark.parametrize("order", itertools.permutations(range(3)))
def test_hats_choke_in_whatever_order_they_were_added(order: tuple[int, ...]) -> None:
    document = with_sources(("hat.wav", "hi-hat"))
    for number in order:
        ids = {"part_id": "p0", "layer_id": f"l{number}"}
        document, _ = apply(document, AddLayer(kind="add_layer", instrument=HATS[number], **ids))
    tight, opened, foot = (document.parts["p0"].layers[f"l{number}"] for number in range(3))
    assert opened.notes == [OPEN] and opened.silenced_by == [CLOSED, PEDAL]
    assert foot.notes == [PEDAL] and not foot.silenced_by
    assert CLOSED in tight.notes and not {OPEN, PEDAL} & set(tight.notes)
    # Every note sounds on exactly one of them.
    assert all(sum(note in one.notes for one in (tight, opened, foot)) == 1 for note in range(128))
    document, _ = apply(document, RemoveLayer(kind="remove_layer", part_id="p0", layer_id="l1"))
    assert OPEN in document.parts["p0"].layers["l0"].notes, "what is left sounds on what is left"


def test_one_hat_alone_sounds_on_everything() -> None:
    (one,) = fitted_hats({"l": Layer(instrument=HATS[0])}, NoteMap()).values()
    assert one.notes == [] and one.silenced_by == []


def test_what_a_hand_has_set_stays() -> None:
    document = with_sources(("hat.wav", "hi-hat"))
    document, _ = apply(document, AddLayer(kind="add_layer", part_id="p0", layer_id="l0", instrument=HATS[1]))
    document, _ = apply(
        document, SetLayer(kind="set_layer", part_id="p0", layer_id="l0", changes={"silenced_by": [50]})
    )
    document, _ = apply(document, AddLayer(kind="add_layer", part_id="p0", layer_id="l1", instrument=HATS[0]))
    assert document.parts["p0"].layers["l0"].silenced_by == [50]
    kept = Layer.model_validate({"instrument": HATS[1].model_dump(), "notes": [7]})
    assert kept.notes_by_hand, "as sessions of before kept it"


def test_other_pieces_are_left_alone() -> None:
    document = with_sources(("snare.wav", "snare"))
    for number in range(2):
        ids = {"part_id": "p0", "layer_id": f"l{number}"}
        document, _ = apply(document, AddLayer(kind="add_layer", instrument=HATS[number], **ids))
    assert all(layer.notes == [] for layer in document.parts["p0"].layers.values())
