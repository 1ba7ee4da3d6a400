"""What a person does in Layer: sounds put with a part, changed, taken away; recording against layers."""

from __future__ import annotations

from typing import Literal

from nubrak.core.layer import HitOffset, Layer, fitted_hats, lock_basis
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument
from nubrak.core.session.action import Action, Id, changed, settings_said
from nubrak.core.session.document import Document

_PLACED = {"polarity", "offset_samples", "each"}  # where a layer lies against its recording
LayerValue = float | bool | str | list[int] | list[HitOffset] | None


class AddLayer(Action):
    """Let an instrument sound with a part; ``changes`` are what of it is not as usual."""

    kind: Literal["add_layer"]
    part_id: str
    layer_id: Id
    instrument: Instrument
    changes: dict[str, LayerValue] = {}

    @property
    def audio(self) -> set[str]:
        return {sample.audio for sample in self.instrument.samples}

    def apply(self, document: Document) -> str:
        layer = changed(Layer(instrument=self.instrument), _with_hand(self.changes))
        layer.locked_on = lock_basis(layer)
        document.part(self.part_id).layers[self.layer_id] = layer
        fit_hats(document, self.part_id)
        return f"{document.part_name(self.part_id)}: layer {self.instrument.name}"


class SetLayer(Action):
    """Change a layer; what is not named stays."""

    kind: Literal["set_layer"]
    part_id: str
    layer_id: str
    changes: dict[str, LayerValue]
    instrument: Instrument | None = None

    @property
    def audio(self) -> set[str]:
        return {sample.audio for sample in self.instrument.samples} if self.instrument else set()

    def apply(self, document: Document) -> str:
        layers = document.part(self.part_id).layers
        layer = changed(_known(layers, self.layer_id), _with_hand(self.changes))
        said = settings_said({key: value for key, value in self.changes.items() if key != "placed_by_hand"})
        if self.instrument is not None:
            layer = layer.model_copy(update={"instrument": self.instrument})
            said = f"layer {self.instrument.name}"
        if _PLACED & set(self.changes):
            layer.locked_on = lock_basis(layer)
        layers[self.layer_id] = layer
        fit_hats(document, self.part_id)
        return f"{document.part_name(self.part_id)}: {said}"


class RemoveLayer(Action):
    """Take a layer away."""

    kind: Literal["remove_layer"]
    part_id: str
    layer_id: str

    def apply(self, document: Document) -> str:
        layers = document.part(self.part_id).layers
        layer = _known(layers, self.layer_id)
        del layers[self.layer_id]
        fit_hats(document, self.part_id)
        return f"{document.part_name(self.part_id)}: no layer {layer.instrument.name}"


class SetBlend(Action):
    """Recording against layers; what is not named stays."""

    kind: Literal["set_blend"]
    part_id: str
    changes: dict[str, float | bool | None]

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        part.blend = changed(part.blend, self.changes)
        return f"{document.part_name(self.part_id)}: {settings_said(self.changes)}"


def fit_hats(document: Document, part_id: str) -> None:
    """Put the layers of a hi-hat on their notes; those of other pieces sound as they are set."""
    part = document.part(part_id)
    if part.piece == "hi-hat" and part.layers:
        part.layers = fitted_hats(part.layers, document.note_map)


def _with_hand(changes: dict[str, LayerValue]) -> dict[str, LayerValue]:
    if {"notes", "silenced_by"} & set(changes):
        changes = changes | {"notes_by_hand": True}
    if _PLACED & set(changes):
        changes = {"placed_by_hand": True} | changes
    return changes


def _known(layers: dict[str, Layer], layer_id: str) -> Layer:
    if layer_id not in layers:
        raise Problem("This layer is not there any more.", kind="missing")
    return layers[layer_id]
