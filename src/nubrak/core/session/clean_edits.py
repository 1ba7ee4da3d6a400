"""What a person does to the gaps of a source: turn them down, and move single ones."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from nubrak.core.mix import MOST_GAP_MARKS, SAME_STROKE_S, GapMark
from nubrak.core.problem import Problem
from nubrak.core.session.action import Action, Id, changed, settings_said
from nubrak.core.session.document import Document
from nubrak.core.time_line import TimeLineS


class SetCleaning(Action):
    """How sources are turned down between their strokes; what is not named stays, and so does what a hand
    set.
    """

    kind: Literal["set_cleaning"]
    source_ids: list[str] = Field(min_length=1, max_length=1000)
    changes: dict[str, float | bool]

    def apply(self, document: Document) -> str:
        for source_id in self.source_ids:
            source = document.source(source_id)
            source.cleaning = changed(source.cleaning, self.changes)
        count = len(self.source_ids)
        who = document.source(self.source_ids[0]).name if count == 1 else f"{count} sources"
        return f"{who}: gaps, {settings_said(self.changes)}"


class MarkGaps(Action):
    """Set single gaps of the sources of one drum by hand, each by the stroke it lies behind. A later mark of
    the same stroke takes its place; what it does not name stays as it was. ``remove`` names strokes whose
    gaps are as they are told again.
    """

    kind: Literal["mark_gaps"]
    source_ids: list[str] = Field(min_length=1, max_length=1000)
    marks: dict[Id, GapMark] = Field(default={}, max_length=MOST_GAP_MARKS)
    remove: list[TimeLineS] = Field(default=[], max_length=MOST_GAP_MARKS)

    def apply(self, document: Document) -> str:
        changes = [_marked(document.source(one).cleaning.marks, self) for one in self.source_ids]
        if not any(changes):
            raise Problem("This gap is as it was told already.", kind="missing")
        count = len(self.marks) or len(self.remove)
        verb = "by hand" if self.marks else "as told"
        name = document.source(self.source_ids[0]).name
        return f"{name}: {count} gap{'' if count == 1 else 's'} {verb}"


def _marked(kept: dict[str, GapMark], said: MarkGaps) -> bool:
    """Whether anything changed in what is set of one source."""
    gone = [key for time_s in said.remove if (key := _at(kept, time_s)) is not None]
    for key in gone:
        kept.pop(key, None)
    for mark_id, mark in said.marks.items():
        same = _at(kept, mark.time_s)
        before = kept.pop(same).model_dump() if same is not None else {}
        kept[same or mark_id] = GapMark.model_validate(before | mark.model_dump(exclude_unset=True))
    return bool(gone or said.marks)


def _at(kept: dict[str, GapMark], time_s: float) -> str | None:
    return next((key for key, one in kept.items() if abs(one.time_s - time_s) <= SAME_STROKE_S), None)
