"""The actions of Shape: curve, steps, timing, notes beside the recorded ones, feels, the note map."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from nubrak.core.decide import Mark
from nubrak.core.pieces import NoteMap
from nubrak.core.problem import Problem
from nubrak.core.session.action import Action, Id
from nubrak.core.session.document import Document, Part, PieceId
from nubrak.core.shape import AnyStep, Feel, LengthKind, PatternNote, StrengthCurve, Timing

NEAR_S = 0.004  # a mark speaks of the same stroke as another
_MOST_NOTES = 200_000


class ShapeChanges(BaseModel):
    """Shape settings to change; what is not named stays."""

    curve: StrengthCurve | None = None
    steps: list[AnyStep] | None = Field(default=None, max_length=100)
    timing: Timing | None = None
    note: int | None = None
    channel: int | None = None
    length: LengthKind | None = None
    length_beats: float | None = None


class SetShape(Action):
    """Change shape settings; what is not named stays."""

    kind: Literal["set_shape"]
    part_id: str
    changes: ShapeChanges


class SetPattern(Action):
    """Put notes beside the recorded ones, and take some away."""

    kind: Literal["set_pattern"]
    part_id: str
    notes: dict[Id, PatternNote] = Field(default={}, max_length=50000)
    remove: list[str] = Field(default=[], max_length=50000)


class NoteByHand(BaseModel):
    """What is set by hand of one recorded stroke's note; what is not named stays, what is empty is left to
    the part again.
    """

    time_s: float = Field(ge=0, le=86400, description="where the stroke was found")
    velocity: int | None = Field(default=None, ge=1, le=127)
    note: int | None = Field(default=None, ge=0, le=127)
    note_s: float | None = Field(default=None, ge=0, le=86400)


class SetNotes(Action):
    """Set velocity, note or place of recorded strokes' notes by hand."""

    kind: Literal["set_notes"]
    part_id: str
    notes: dict[Id, NoteByHand] = Field(min_length=1, max_length=50000)


class TakeChanges(Action):
    """Take over what was changed in a MIDI file elsewhere."""

    kind: Literal["take_changes"]
    marks: dict[str, dict[Id, Mark]] = Field(default={}, description="per part")
    notes: dict[str, dict[Id, PatternNote]] = Field(
        default={}, description="per part, beside the recorded ones"
    )
    remove: dict[str, list[str]] = Field(
        default={}, description="per part, of those beside the recorded ones"
    )


class RemovePart(Action):
    """Take out a part that no source feeds."""

    kind: Literal["remove_part"]
    part_id: str


class NewPart(BaseModel):
    """A part without a source."""

    piece: PieceId
    notes: dict[Id, PatternNote] = Field(default={}, max_length=_MOST_NOTES)


class AddParts(Action):
    """Parts without a source: notes that were brought in."""

    kind: Literal["add_parts"]
    parts: dict[Id, NewPart] = Field(min_length=1, max_length=128)


class KeepFeel(Action):
    """Keep a feel under its name."""

    kind: Literal["keep_feel"]
    feel_id: Id
    feel: Feel


class DropFeel(Action):
    """Forget a feel; parts on which it lies keep it."""

    kind: Literal["drop_feel"]
    feel_id: str


class SetNoteMap(Action):
    """Say which notes the pieces are written as."""

    kind: Literal["set_note_map"]
    note_map: NoteMap


def shaping_said(changes: ShapeChanges) -> str:
    """What undo calls a change of shape."""
    said = []
    for name in sorted(changes.model_fields_set):
        value = getattr(changes, name)
        match name:
            case "curve":
                said.append(f"velocity curve through {len(value)} points" if value else "velocity as played")
            case "steps":
                said.append(f"{len(value or [])} velocity step{'' if len(value or []) == 1 else 's'}")
            case "timing":
                said.append(_timing_said(value or Timing()))
            case "length_beats":
                said.append(f"note length {value:g} beats")
            case "length":
                said.append(
                    {
                        "fixed": "fixed note length",
                        "next": "notes to the next",
                        "ring": "notes as long as the ring",
                    }[value or "fixed"]
                )
            case _:
                said.append(f"{name} {'of the map' if value is None else value}")
    return ", ".join(said) or "nothing"


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


def set_pattern(new: Document, action: SetPattern) -> tuple[Document, str]:
    """Notes beside the recorded ones put in and taken out."""
    part = new.part(action.part_id)
    for key in action.remove:
        part.pattern.pop(key, None)
    part.pattern |= action.notes
    if len(part.pattern) > _MOST_NOTES:
        raise Problem(
            f"A part holds at most {_MOST_NOTES} notes beside the recorded ones.", "Nothing was changed."
        )
    come, gone = len(action.notes), len(set(action.remove) - set(action.notes))
    what = (
        f"{come} note{'' if come == 1 else 's'}"
        if come
        else f"take {gone} note{'' if gone == 1 else 's'} away"
    )
    return new, f"{new.part_name(action.part_id)}: {what}"


def set_notes(new: Document, action: SetNotes) -> tuple[Document, str]:
    """Notes set by hand: into the mark that the stroke has, else into a new one that keeps it."""
    marks = new.part(action.part_id).marks
    for mark_id, by_hand in action.notes.items():
        near = [
            key
            for key, mark in marks.items()
            if mark.kind != "drop" and abs(mark.time_s - by_hand.time_s) < NEAR_S
        ]
        change = by_hand.model_dump(include=by_hand.model_fields_set - {"time_s"})
        key = near[0] if near else mark_id
        marks[key] = (marks[key] if near else Mark(kind="keep", time_s=by_hand.time_s)).model_copy(
            update=change
        )
    first = next(iter(action.notes.values()))
    words = [
        (
            f"{name.replace('note_s', 'place')} "
            f"{'as it was' if getattr(first, name) is None else _plainly(name, first)}"
        )
        for name in sorted(first.model_fields_set - {"time_s"})
    ]
    count = len(action.notes)
    return (
        new,
        f"{new.part_name(action.part_id)}: {', '.join(words) if count == 1 else f'{count} notes by hand'}",
    )


def _plainly(name: str, by_hand: NoteByHand) -> str:
    return "by hand" if name == "note_s" else f"{getattr(by_hand, name)}"


def remove_part(new: Document, part_id: str) -> tuple[Document, str]:
    """A part without a source taken out."""
    part, name = new.part(part_id), new.part_name(part_id)
    if part.sources:
        raise Problem(
            f"{name} is fed by a recording.",
            "Nothing was changed.",
            "Take the source out in Gather, or set it aside.",
        )
    del new.parts[part_id]
    return new, f"Take out {name}"


def add_parts(new: Document, action: AddParts) -> tuple[Document, str]:
    """Parts that no source feeds."""
    for part_id, part in action.parts.items():
        if part_id in new.parts:
            raise Problem("This part is in the session already.")
        place = max((known.place for known in new.parts.values()), default=-1) + 1
        new.parts[part_id] = Part(piece=part.piece, place=place, sources=[], pattern=part.notes)
    count = sum(len(part.notes) for part in action.parts.values())
    names = ", ".join(new.part_name(part_id).lower() for part_id in action.parts)
    return new, f"{count} notes brought in: {names}"


def drop_feel(new: Document, action: DropFeel) -> tuple[Document, str]:
    """A feel forgotten."""
    feel = new.feels.pop(action.feel_id, None)
    if feel is None:
        raise Problem("This feel is not kept any more.", kind="missing")
    return new, f"Forget the feel “{feel.name}”"
