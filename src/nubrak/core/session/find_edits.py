"""What a person does in Find: settings, marks, strokes given to another part."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from nubrak.core.decide import CurvePoint, clock
from nubrak.core.problem import Problem
from nubrak.core.session.action import Action, Id, changed, settings_said
from nubrak.core.session.document import Document
from nubrak.core.session.marks import MarkChange, take_marks
from nubrak.core.session.mend_edits import mends_along
from nubrak.core.time_line import TimeLineS

FindValue = float | str | list[CurvePoint] | list[str] | None


class SetFind(Action):
    """Change find settings; what is not named stays."""

    kind: Literal["set_find"]
    part_id: str
    changes: dict[str, FindValue]

    def apply(self, document: Document) -> str:
        part = document.part(self.part_id)
        part.find = changed(part.find, self.changes)
        return f"{document.part_name(self.part_id)}: {settings_said(self.changes)}"


class SetMark(Action):
    """What is meant of one or more places: that they count or not, where their hits are put, how they sound.
    What has been said of them before and is not named stays.
    """

    kind: Literal["mark"]
    part_id: str
    marks: dict[Id, MarkChange] = Field(min_length=1)

    def apply(self, document: Document) -> str:
        take_marks(document.part(self.part_id).marks, self.marks)
        first = next(iter(self.marks.values()))
        where = f"at {clock(first.time_s)}" if len(self.marks) == 1 else f"{len(self.marks)} places"
        return f"{document.part_name(self.part_id)}: {_doing(first)} {where}"


class Unmark(Action):
    """Take marks back, by id; without ids, all of the part."""

    kind: Literal["unmark"]
    part_id: str
    mark_ids: list[str] | None = None

    def apply(self, document: Document) -> str:
        marks = document.part(self.part_id).marks
        ids = list(marks) if self.mark_ids is None else self.mark_ids
        if any(mark_id not in marks for mark_id in ids):
            raise Problem("This mark was taken back already.", kind="missing")
        for mark_id in ids:
            del marks[mark_id]
        count = f"{len(ids)} mark{'s' if len(ids) != 1 else ''}"
        return f"{document.part_name(self.part_id)}: take back {count}"


class Give(Action):
    """A stroke belongs to another part: dropped here, and there a hit."""

    kind: Literal["give"]
    part_id: str
    to_part_id: str
    marks: dict[Id, TimeLineS] = Field(min_length=1, description="place here, in s, by the id of its mark")
    there: dict[Id, TimeLineS] = Field(min_length=1, description="place there, in s, by the id of its mark")

    def apply(self, document: Document) -> str:
        if self.part_id == self.to_part_id:
            raise Problem("It belongs to this part already.")
        here, to = document.part(self.part_id), document.part(self.to_part_id)
        take_marks(here.marks, {key: MarkChange(kind="drop", time_s=at) for key, at in self.marks.items()})
        mends_along(here, to, self.marks.values())
        take_marks(to.marks, {key: MarkChange(kind="add", time_s=at) for key, at in self.there.items()})
        count = len(self.marks)
        where = f"at {clock(next(iter(self.marks.values())))}" if count == 1 else f"of {count} places"
        names = document.part_name(self.part_id), document.part_name(self.to_part_id).lower()
        return f"{names[0]}: give the stroke {where} to {names[1]}"


def _doing(change: MarkChange) -> str:
    if change.kind is not None:
        return change.kind
    return "move" if change.by_s is not None or "to_s" in change.model_fields_set else "keep"
