"""What a person does to the cuts of a source."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from nubrak.core.problem import Problem
from nubrak.core.samples import MOST_SLICES, CutMark
from nubrak.core.session.action import Action, Id, changed, settings_said
from nubrak.core.session.document import Document

_SAME_S = 0.008  # two marks nearer than this speak of one cut


class SetCut(Action):
    """How a source is cut into slices; what is not named stays, and so does what a hand decided."""

    kind: Literal["set_cut"]
    source_id: str
    changes: dict[str, str | float | bool | None]

    def apply(self, document: Document) -> str:
        source = document.source(self.source_id)
        source.cut = changed(source.cut, self.changes)
        return f"{source.name}: cut, {settings_said(self.changes)}"


class MarkCuts(Action):
    """Decide about single cuts: keep, drop, add, move, fade. A later mark of the same cut takes its
    place; what it leaves empty stays as it was.
    """

    kind: Literal["mark_cuts"]
    source_id: str
    marks: dict[Id, CutMark] = Field(default={}, max_length=MOST_SLICES)
    remove: list[str] = Field(default=[], max_length=MOST_SLICES)

    def apply(self, document: Document) -> str:
        source = document.source(self.source_id)
        if not self.marks and not self.remove:
            raise Problem("No cut was named.", todo="Choose one.")
        for gone in self.remove:
            source.cuts.pop(gone, None)
        for mark_id, mark in self.marks.items():
            same = next(
                (key for key, one in source.cuts.items() if abs(one.found_s - mark.found_s) <= _SAME_S), None
            )
            before = source.cuts.pop(same) if same is not None else None
            said = mark.model_dump(exclude_unset=True)
            merged = mark if before is None else CutMark.model_validate(before.model_dump() | said)
            if before is not None and before.kind == "add" and merged.kind == "keep":
                merged = merged.model_copy(update={"kind": "add"})
            source.cuts[same or mark_id] = merged
        count = len(self.marks) or len(self.remove)
        verb = "as they were found" if not self.marks else "by hand"
        return f"{source.name}: {count} cut{'' if count == 1 else 's'} {verb}"
