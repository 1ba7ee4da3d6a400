"""Edits of Layer: sounds put with a part, changed, taken away; recording against layers."""

from __future__ import annotations

import pytest

from nubrak.core.problem import Problem
from nubrak.core.samples.kit import Instrument, Sample
from nubrak.core.session.document import Document
from nubrak.core.session.edit import AddLayer, RemoveLayer, SetBlend, SetLayer, apply
from tests.core.session.sources import with_sources


def instrument(name: str = "Felt kick") -> Instrument:
    return Instrument(
        name=name, piece="kick", samples=[Sample(audio=name, name=name, channels=1, rate_hz=44100, frames=10)]
    )


def layered(**changes: object) -> Document:
    action = AddLayer(
        kind="add_layer",
        part_id="p0",
        layer_id="l0",
        instrument=instrument(),
        changes=changes,  # type: ignore[arg-type]
    )
    return apply(with_sources(("kick.wav", "kick")), action)[0]


def test_a_layer_is_put_with_a_part_and_brings_its_samples() -> None:
    action = AddLayer(kind="add_layer", part_id="p0", layer_id="l0", instrument=instrument())
    document, label = apply(with_sources(("kick.wav", "kick")), action)
    assert document.parts["p0"].layers["l0"].instrument.name == "Felt kick"
    assert label == "Kick: layer Felt kick" and action.audio == {"Felt kick"}


def test_changes_leave_what_they_do_not_name() -> None:
    document = layered(level_db=-3.0)
    document, _ = apply(
        document, SetLayer(kind="set_layer", part_id="p0", layer_id="l0", changes={"offset_samples": 12})
    )
    layer = document.parts["p0"].layers["l0"]
    assert (layer.level_db, layer.offset_samples) == (-3.0, 12)
    swapped = SetLayer(
        kind="set_layer", part_id="p0", layer_id="l0", changes={}, instrument=instrument("Wood kick")
    )
    document, label = apply(document, swapped)
    layer = document.parts["p0"].layers["l0"]
    assert (layer.level_db, layer.instrument.name) == (-3.0, "Wood kick") and "Wood kick" in label
    assert swapped.audio == {"Wood kick"}


def test_a_layer_taken_away_is_gone_and_says_its_name() -> None:
    document, label = apply(layered(), RemoveLayer(kind="remove_layer", part_id="p0", layer_id="l0"))
    assert not document.parts["p0"].layers and label == "Kick: no layer Felt kick"


@pytest.mark.parametrize(
    "action",
    [
        RemoveLayer(kind="remove_layer", part_id="p0", layer_id="gone"),
        SetLayer(kind="set_layer", part_id="p0", layer_id="gone", changes={}),
        SetLayer(kind="set_layer", part_id="gone", layer_id="l0", changes={}),
        SetLayer(kind="set_layer", part_id="p0", layer_id="l0", changes={"level_db": 900.0}),
        SetLayer(kind="set_layer", part_id="p0", layer_id="l0", changes={"colour": "red"}),
        SetBlend(kind="set_blend", part_id="p0", changes={"layers_db": -4000.0}),
    ],
)
def test_what_is_not_there_or_out_of_bounds_is_a_sentence_and_changes_nothing(
    action: RemoveLayer | SetLayer | SetBlend,
) -> None:
    document = layered()
    before = document.model_dump()
    with pytest.raises(Problem) as said:
        apply(document, action)
    assert str(said.value) and document.model_dump() == before


def test_the_blend_keeps_what_is_not_named() -> None:
    document, _ = apply(layered(), SetBlend(kind="set_blend", part_id="p0", changes={"layers_db": -6.0}))
    document, label = apply(
        document, SetBlend(kind="set_blend", part_id="p0", changes={"recording_on": False})
    )
    blend = document.parts["p0"].blend
    assert blend.layers_db == -6.0 and blend.recording_on is False and label.startswith("Kick: ")
