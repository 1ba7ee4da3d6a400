"""What a person does in Shape: curve, steps, timing, notes by hand and beside the recorded ones, feels, the
note map.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from nubrak.core.names import Name
from nubrak.core.pieces import NoteMap, PieceId
from nubrak.core.problem import Problem
from nubrak.core.session.action import Action, Id, changed
from nubrak.core.session.document import Document, Part
from nubrak.core.session.layer_edits import fit_hats
from nubrak.core.session.marks import MarkChange, MarksAtPlaces, take_marks
from nubrak.core.shape import AnyStep, Feel, LengthKind, PatternNote, StrengthCurve, Timing, needs_tempo
from nubrak.core.time_line import TimeLineS

_MOST_NOTES = 200_000  # an hour of sixteenths at 200 bpm is a quarter of it
_LENGTHS = {"fixed": "fixed note length", "next": "notes to the next", "ring": "notes as long as the ring"}


class ShapeChanges(BaseModel):
    """Shape settings to change; what is not named stays."""

    curve: StrengthCurve | None = None
    steps: list[AnyStep] | None = Field(default=None, max_length=100)
    timing: Timing | None = None
    note: int | None = None
    channel: int | None = None
    length: LengthKind | None = None
    length_beats: float | None = None

    def said(self) -> str:
        """What undo calls them."""
        return ", ".join(_said_of(name, getattr(self, name)) for name in sorted(self.model_fields_set))


class SetShape(Action):
    """Change shape settings; what is not named stays."""

    kind: Literal["set_shape"]
    part_id: str
    changes: ShapeChanges

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        shape = changed(part.shape, self.changes.model_dump(exclude_unset=True))
        if not document.tempo.is_known and needs_tempo(shape) and not needs_tempo(part.shape):
            raise Problem(
                "No tempo is known yet, so there is no grid to draw strokes to or to tell beats by.",
                "Nothing was changed.",
                "Set, tap or detect the tempo in Gather.",
            )
        part.shape = shape
        return f"{document.part_name(self.part_id)}: {self.changes.said() or 'nothing'}"


class SetPattern(Action):
    """Put notes beside the recorded ones, and take some away."""

    kind: Literal["set_pattern"]
    part_id: str
    notes: dict[Id, PatternNote] = Field(default={}, max_length=50000)
    remove: list[str] = Field(default=[], max_length=50000)

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        for key in self.remove:
            part.pattern.pop(key, None)
        part.pattern |= self.notes
        if len(part.pattern) > _MOST_NOTES:
            raise Problem(f"A part holds at most {_MOST_NOTES} notes beside the recorded ones.")
        come, gone = len(self.notes), len(set(self.remove) - set(self.notes))
        what = f"{_count(come, 'note')}" if come else f"take {_count(gone, 'note')} away"
        return f"{document.part_name(self.part_id)}: {what}"


class NoteByHand(BaseModel):
    """What is set by hand of one recorded stroke's note; what is not named stays, what is empty is left to
    the part again.
    """

    time_s: TimeLineS = Field(description="where the stroke was found")
    velocity: int | None = Field(default=None, ge=1, le=127)
    note: int | None = Field(default=None, ge=0, le=127)
    note_s: TimeLineS | None = None


class SetNotes(Action):
    """Set velocity, note or place of recorded strokes' notes by hand."""

    kind: Literal["set_notes"]
    part_id: str
    notes: dict[Id, NoteByHand] = Field(min_length=1, max_length=50000)

    def apply(self, document: Document) -> str:
        places = MarksAtPlaces(document.part(self.part_id).marks)
        for mark_id, by_hand in self.notes.items():
            places.take(mark_id, MarkChange.model_validate(by_hand.model_dump(exclude_unset=True)))
        first, count = next(iter(self.notes.values())), len(self.notes)
        words = [_by_hand(name, first) for name in sorted(first.model_fields_set - {"time_s"})]
        said = ", ".join(words) if count == 1 else f"{count} notes by hand"
        return f"{document.part_name(self.part_id)}: {said}"


class TakeChanges(Action):
    """Take over what was changed in a MIDI file elsewhere."""

    kind: Literal["take_changes"]
    marks: dict[str, dict[Id, MarkChange]] = Field(default={}, description="per part")
    notes: dict[str, dict[Id, PatternNote]] = Field(
        default={}, description="per part, beside the recorded ones"
    )
    remove: dict[str, list[str]] = Field(
        default={}, description="per part, of those beside the recorded ones"
    )

    def apply(self, document: Document) -> str:
        for part_id, marks in self.marks.items():
            take_marks(document.part(part_id).marks, marks)
        gone = 0
        for part_id in self.notes.keys() | self.remove.keys():
            notes, remove = self.notes.get(part_id, {}), self.remove.get(part_id, [])
            SetPattern(kind="set_pattern", part_id=part_id, notes=notes, remove=remove).apply(document)
            gone += len(set(remove) - set(notes))
        count = gone + sum(len(many) for per_part in (self.marks, self.notes) for many in per_part.values())
        return f"Take {_count(count, 'change')} made elsewhere"


class RemovePart(Action):
    """Take out a part that no source feeds."""

    kind: Literal["remove_part"]
    part_id: str

    def apply(self, document: Document) -> str:
        part, name = document.part(self.part_id), document.part_name(self.part_id)
        if part.sources:
            raise Problem(
                f"{name} is fed by a recording.", todo="Take the source out in Gather, or set it aside."
            )
        del document.parts[self.part_id]
        for other in document.parts.values():
            if other.find.spill_from is not None:
                other.find.spill_from = [one for one in other.find.spill_from if one != self.part_id]
        return f"Take out {name}"


class NewPart(BaseModel):
    """A part without a source."""

    piece: PieceId
    notes: dict[Id, PatternNote] = Field(default={}, max_length=_MOST_NOTES)
    named: Name | None = Field(default=None, min_length=1, max_length=80)


class AddParts(Action):
    """Parts without a source: notes that were brought in."""

    kind: Literal["add_parts"]
    parts: dict[Id, NewPart] = Field(min_length=1, max_length=128)

    def apply(self, document: Document) -> str:
        for part_id, part in self.parts.items():
            if part_id in document.parts:
                raise Problem("This part is in the session already.")
            place = max((known.place for known in document.parts.values()), default=-1) + 1
            document.parts[part_id] = Part(
                piece=part.piece, place=place, sources=[], pattern=part.notes, named=part.named
            )
        count = sum(len(part.notes) for part in self.parts.values())
        names = ", ".join(document.part_name(part_id).lower() for part_id in self.parts)
        return f"{_count(count, 'note')} brought in: {names}"


class KeepFeel(Action):
    """Keep a feel under its name."""

    kind: Literal["keep_feel"]
    feel_id: Id
    feel: Feel

    def apply(self, document: Document) -> str:
        document.feels[self.feel_id] = self.feel
        return f"Keep the feel “{self.feel.name}”"


class DropFeel(Action):
    """Forget a feel; parts on which it lies keep it."""

    kind: Literal["drop_feel"]
    feel_id: str

    def apply(self, document: Document) -> str:
        feel = document.feels.pop(self.feel_id, None)
        if feel is None:
            raise Problem("This feel is not kept any more.", kind="missing")
        return f"Forget the feel “{feel.name}”"


class SetNoteMap(Action):
    """Say which notes the pieces are written as."""

    kind: Literal["set_note_map"]
    note_map: NoteMap

    def apply(self, document: Document) -> str:
        document.note_map = self.note_map
        for part_id in document.parts:
            fit_hats(document, part_id)
        return f"Note map “{self.note_map.name}”"


def _said_of(name: str, value: object) -> str:
    match name, value:
        case "curve", list():
            return f"velocity curve through {len(value)} points" if value else "velocity as played"
        case "steps", list():
            return _count(len(value), "velocity step")
        case "timing", Timing():
            return _timing_said(value)
        case "length", str():
            return _LENGTHS[value]
        case "length_beats", float():
            return f"note length {value:g} beats"
    return f"{name} {'of the map' if value is None else value}"


def _timing_said(timing: Timing) -> str:
    said = []
    if timing.quantise is not None and timing.quantise.on:
        grid = timing.quantise.grid
        kind = "" if grid.kind == "straight" else f" {grid.kind}"
        swing = f", swing {grid.swing_percent:g} %" if grid.swing_percent > 50 else ""
        said.append(f"to 1/{grid.step}{kind}{swing} by {timing.quantise.strength_percent:g} %")
    if timing.feel is not None and timing.feel.on:
        said.append(f"feel “{timing.feel.feel.name}”")
    if timing.shift_ms:
        said.append(f"{timing.shift_ms:+g} ms".replace("-", "−"))
    return ", ".join(said) or "timing as played"


def _by_hand(name: str, first: NoteByHand) -> str:
    value = getattr(first, name)
    said = "as it was" if value is None else "by hand" if name == "note_s" else f"{value}"
    return f"{name.replace('note_s', 'place')} {said}"


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'' if number == 1 else 's'}"
