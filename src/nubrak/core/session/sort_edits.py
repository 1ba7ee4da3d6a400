"""What a person does in Sort: which piece strokes are, how they were struck, parts split and joined, one
sound thrown away.
"""

from __future__ import annotations

from hashlib import sha256
from typing import Literal

from pydantic import BaseModel, Field

from nubrak.core.decide import clock
from nubrak.core.names import Name
from nubrak.core.pieces import PIECES, PieceId, articulation_of
from nubrak.core.problem import Problem
from nubrak.core.session.action import Action, Id
from nubrak.core.session.document import Document, Part
from nubrak.core.session.marks import MarkChange, take_marks
from nubrak.core.session.mend_edits import mends_along
from nubrak.core.session.part_notes import part_notes
from nubrak.core.sort import ToldPiece
from nubrak.core.time_line import TimeLineS


class Given(BaseModel):
    """Strokes that one part loses: where they were found, by the ids of their marks."""

    part_id: str
    marks: dict[Id, TimeLineS] = Field(min_length=1, max_length=100_000)


class GiveStrokes(Action):
    """Strokes told from the same moments belong to another of their pieces: dropped where they were, kept
    there. With a ``piece``, that part is new.
    """

    kind: Literal["give_strokes"]
    head_id: str
    from_parts: list[Given] = Field(max_length=200)
    to_part_id: Id
    there: dict[Id, TimeLineS] = Field(min_length=1, max_length=100_000)
    articulation: str | None = Field(default=None, description="how they were struck; empty leaves that")
    piece: PieceId | None = None
    named: Name | None = Field(default=None, min_length=1, max_length=80)

    def apply(self, document: Document) -> str:
        if self.piece is not None:
            if not _carries_pieces(document.part(self.head_id)):
                raise Problem(
                    "Only a recording that carries several pieces has strokes to give to another.",
                    todo="Say first that it is a loop, or ask it for its pieces.",
                )
            add_told(document, self.head_id, self.to_part_id, self.piece, [], self.named)
        to = document.part(self.to_part_id)
        _known_way(to.piece, self.articulation)
        for given in self.from_parts:
            marks = document.part(given.part_id).marks
            if given.part_id != self.to_part_id:
                changes = {key: MarkChange(kind="drop", time_s=at) for key, at in given.marks.items()}
                take_marks(marks, changes)
                mends_along(document.part(given.part_id), to, given.marks.values())
        way = {} if self.articulation is None else {"articulation": self.articulation}
        kept = {key: MarkChange(kind="keep", time_s=at, **way) for key, at in self.there.items()}
        take_marks(to.marks, kept)
        return f"{_of_strokes(list(self.there.values()))} to {document.part_name(self.to_part_id).lower()}"


class SetWay(Action):
    """How strokes of one part were struck."""

    kind: Literal["set_way"]
    part_id: str
    marks: dict[Id, TimeLineS] = Field(min_length=1, max_length=100_000)
    articulation: str | None = Field(description="empty leaves it to what is told")

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        _known_way(part.piece, self.articulation)
        take_marks(
            part.marks,
            {key: MarkChange(time_s=at, articulation=self.articulation) for key, at in self.marks.items()},
        )
        way = articulation_of(part.piece, self.articulation or "")
        named = way.name if way else "as told"
        strokes = _of_strokes(list(self.marks.values()))
        return f"{strokes} of {document.part_name(self.part_id).lower()} {named}"


class SplitPart(Action):
    """Some strokes of a part live on as a part of their own, with its settings, marks and layers. It stands
    beside the others told from the same moments, or under the part that was found by itself.
    """

    kind: Literal["split_part"]
    part_id: str
    new_part_id: Id
    marks: dict[Id, TimeLineS] = Field(min_length=1, max_length=100_000)
    there: dict[Id, TimeLineS] = Field(min_length=1, max_length=100_000)
    named: Name | None = Field(default=None, min_length=1, max_length=80)

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        if self.new_part_id in document.parts:
            raise Problem("This part is in the session already.")
        new = part.model_copy(
            deep=True,
            update={"sounds": [], "named": self.named, "pattern": {}, "mends": {}, "rank": part.rank + 1},
        )
        if not part.sources:
            raise Problem("Only strokes of a recording can be divided.")
        if document.family(self.part_id):
            raise Problem("Its strokes are in the pieces under it.", todo="Divide one of those.")
        new.sorted_from = part.sorted_from or self.part_id
        new.divided_from = part.divided_from or self.part_id
        new.told = True
        gone = set(self.marks.values())
        new.marks = {
            key: mark for key, mark in part.marks.items() if mark.kind != "drop" and mark.time_s in gone
        }
        document.parts[self.new_part_id] = new
        # Layers that sound on the note of its piece sound on its own too.
        own, usual = part_notes(document).get(self.new_part_id), document.note_map.number_of(new.piece)
        for layer in new.layers.values():
            if own is not None and usual in layer.notes and own not in layer.notes:
                layer.notes = [*layer.notes, own]
        mends_along(part, new, gone)
        take_marks(part.marks, {key: MarkChange(kind="drop", time_s=at) for key, at in self.marks.items()})
        take_marks(new.marks, {key: MarkChange(kind="keep", time_s=at) for key, at in self.there.items()})
        strokes = _of_strokes(list(self.marks.values()))
        return f"{strokes} of {document.part_name(self.part_id).lower()} apart"


class JoinParts(Action):
    """Two parts told from the same moments become one, or one with what it was divided from: sounds, marks
    and layers go along.
    """

    kind: Literal["join_parts"]
    part_id: str
    other_id: str
    marks: dict[Id, TimeLineS] = Field(
        default={}, max_length=100_000, description="the strokes that come over"
    )

    def apply(self, document: Document) -> str:
        part, other = document.part(self.part_id), document.part(self.other_id)
        same_moments = part.sorted_from is not None and part.sorted_from == other.sorted_from
        if self.part_id == self.other_id or not (same_moments or other.sorted_from == self.part_id):
            raise Problem(
                "Only two parts told from the same moments can be joined, "
                "or one with what it was divided from."
            )
        if other.sorted_from == self.part_id and other.divided_from != self.part_id:
            raise Problem("Its strokes are in the pieces under it.", todo="Join two of those.")
        label = f"{document.part_name(self.other_id)} into {document.part_name(self.part_id).lower()}"
        if part.piece == other.piece:
            part.sounds = list(dict.fromkeys([*part.sounds, *other.sounds]))
        marks = {key: mark for key, mark in other.marks.items() if mark.kind != "drop"}
        dropped_s = {mark.time_s for mark in marks.values()} | set(self.marks.values())
        part.marks = {
            key: mark
            for key, mark in part.marks.items()
            if not (mark.kind == "drop" and mark.time_s in dropped_s)
        } | marks
        take_marks(part.marks, {key: MarkChange(kind="keep", time_s=at) for key, at in self.marks.items()})
        part.layers, part.pattern = other.layers | part.layers, other.pattern | part.pattern
        part.mends = other.mends | part.mends
        del document.parts[self.other_id]
        for one in document.parts.values():
            if one.divided_from == self.other_id:
                one.divided_from = self.part_id
        return label


class AsOne(Action):
    """Moments that were told apart are one part again; what was set for its pieces goes with them."""

    kind: Literal["as_one"]
    part_id: str

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        part.told, part.asked = True, False
        for child in document.family(self.part_id):
            del document.parts[child]
        return f"{document.part_name(self.part_id)}: one part, not sorted"


class AskPieces(Action):
    """A microphone over the kit or in the room is asked for the pieces in it that have none of their own, or
    for those that are named.
    """

    kind: Literal["ask_pieces"]
    part_id: str
    pieces: list[PieceId] = Field(
        default=[], max_length=32, description="what to look for; empty: what is likely to be there"
    )

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        if part.sorted_from is not None or not part.sources:
            raise Problem("Only a recording can be asked for its pieces.")
        part.asked, part.told, part.look_for = True, False, list(dict.fromkeys(self.pieces))
        for child in document.family(self.part_id):
            del document.parts[child]
        return f"{document.part_name(self.part_id)}: asked for its pieces"


class SetMuted(Action):
    """A part is thrown away, or taken up again: kept with all that was set, but neither written nor heard."""

    kind: Literal["set_muted"]
    part_id: str
    muted: bool

    def apply(self, document: Document) -> str:
        document.part(self.part_id).muted = self.muted
        return f"{'Throw away' if self.muted else 'Take back'} {document.part_name(self.part_id).lower()}"


def add_told(
    document: Document, head_id: str, part_id: str, piece: str, sounds: list[str], named: str | None = None
) -> None:
    """A part told from the moments of another, put behind those that are there."""
    head = document.part(head_id)
    if part_id in document.parts:
        raise Problem("This part is in the session already.")
    rank = max((document.parts[one].rank for one in document.family(head_id)), default=-1) + 1
    document.parts[part_id] = Part(
        piece=piece,
        place=head.place,
        sources=list(head.sources),
        sorted_from=head_id,
        sounds=sounds,
        rank=rank,
        named=named,
    )


def tell_pieces(document: Document, head_id: str, told: dict[str, ToldPiece]) -> None:
    """The pieces found in a part's moments become parts of their own, by new id. Nobody did this, and it
    moves nothing that a hand has set: it is no edit.
    """
    for part_id, one in told.items():
        add_told(document, head_id, part_id, one.piece, list(one.sounds), one.named)
    document.part(head_id).told = True


def id_of_told(head_id: str, told: ToldPiece) -> str:
    """The id of a part told from moments: the same whenever the same is told, so that what was done to it can
    be done again.
    """
    said = repr((head_id, told.piece, told.named, told.sounds))
    return sha256(said.encode()).hexdigest()[:10]


def after_walking(document: Document) -> Document:
    """A document as undo or redo leaves it. A part told from moments stands only where these moments are
    told apart, at the place of the part that has them. Telling is no step of undo: where a step goes back
    before it, what was told goes, and is told again.
    """
    kept = {}
    for key, part in document.parts.items():
        head = document.parts.get(part.sorted_from or key)
        if head is part:
            kept[key] = part
        elif head is not None and (part.divided_from is not None or (_carries_pieces(head) and head.told)):
            kept[key] = part.model_copy(update={"place": head.place})
    return document.model_copy(update={"parts": kept})


def _carries_pieces(head: Part) -> bool:
    return head.asked or PIECES[head.piece].family == "whole"


def _known_way(piece: str, way: str | None) -> None:
    if way is not None and articulation_of(piece, way) is None:
        raise Problem(f"A {PIECES[piece].name.lower()} is not struck that way.", todo="Choose another.")


def _of_strokes(time_s: list[float]) -> str:
    return f"The stroke at {clock(time_s[0])}" if len(time_s) == 1 else f"{len(time_s)} strokes"
