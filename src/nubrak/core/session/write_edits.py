"""What a person does in writing: strokes put at the steps of bars, changed and taken away, and a kit that
all parts sound with.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from nubrak.core.layer import Layer
from nubrak.core.names import Name
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument
from nubrak.core.session.action import Action, Id, changed
from nubrak.core.session.document import Document
from nubrak.core.session.layer_edits import LayerValue
from nubrak.core.session.marks import MarkChange, take_marks
from nubrak.core.session.shape_edits import AddParts, NewPart, SetPattern
from nubrak.core.shape import PatternNote

MOST_WRITTEN = 50_000  # strokes of one part at once


class LayerPut(BaseModel):
    """An instrument as a layer; ``changes`` are what of it is not as usual."""

    instrument: Instrument
    changes: dict[str, LayerValue] = {}


def _layers(puts: dict[str, LayerPut]) -> dict[str, Layer]:
    return {key: changed(Layer(instrument=put.instrument), put.changes) for key, put in puts.items()}


def _audio_of(layers: dict[str, dict[str, LayerPut]]) -> set[str]:
    puts = (put for of_part in layers.values() for put in of_part.values())
    return {sample.audio for put in puts for sample in put.instrument.samples}


class Write(Action):
    """Write strokes of any parts: new ones beside the recorded, and what is decided of those that are
    there. ``said`` is what undo calls it.
    """

    kind: Literal["write"]
    said: Name = Field(min_length=1, max_length=120)
    parts: dict[Id, NewPart] = Field(default={}, max_length=64, description="pieces that were not there")
    notes: dict[str, dict[Id, PatternNote]] = Field(default={}, max_length=500)
    remove: dict[str, list[str]] = Field(default={}, max_length=500)
    marks: dict[str, dict[Id, MarkChange]] = Field(
        default={}, max_length=500, description="of recorded strokes, per part"
    )
    layers: dict[str, dict[Id, LayerPut]] = Field(
        default={}, max_length=64, description="what the new pieces sound with"
    )

    @property
    def audio(self) -> set[str]:
        return _audio_of(self.layers)

    def apply(self, document: Document) -> str:
        if not (self.parts or self.notes or self.remove or self.marks):
            raise Problem("No stroke was written.", todo="Choose a step and a piece.")
        if self.parts:
            AddParts(kind="add_parts", parts=self.parts).apply(document)
        for part_id, marks in self.marks.items():
            take_marks(document.part(part_id).marks, marks)
        for part_id in self.notes.keys() | self.remove.keys():
            notes, remove = self.notes.get(part_id, {}), self.remove.get(part_id, [])
            SetPattern(kind="set_pattern", part_id=part_id, notes=notes, remove=remove).apply(document)
        for part_id, layers in self.layers.items():
            if part_id not in self.parts:
                raise Problem("Only a piece that is new gets layers as it is written.")
            document.part(part_id).layers = _layers(layers)
        return self.said


class SoundWith(Action):
    """Let what is written of parts sound with a kit, in place of what it sounded with. Layers that sounded
    on all of their notes go on sounding on the recorded strokes alone.
    """

    kind: Literal["sound_with"]
    said: Name = Field(min_length=1, max_length=120, description="the kit's name")
    layers: dict[str, dict[Id, LayerPut]] = Field(min_length=1, max_length=500)

    @property
    def audio(self) -> set[str]:
        return _audio_of(self.layers)

    def apply(self, document: Document) -> str:
        for part_id, layers in self.layers.items():
            part = document.part(part_id)
            kept = {key: layer for key, layer in part.layers.items() if layer.sounds_on != "written"}
            if part.sources:
                kept = {
                    key: layer.model_copy(update={"sounds_on": "recorded"}) for key, layer in kept.items()
                }
            new = _layers(layers)
            part.layers = kept | new if part.sources else new
        count = len(self.layers)
        return f"What is written sounds with “{self.said}”, {count} {'part' if count == 1 else 'parts'}"
